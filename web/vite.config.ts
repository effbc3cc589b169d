import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { brotliCompressSync, constants, gzipSync } from "node:zlib";
import tailwind from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig, type Plugin } from "vite";

const application = process.env.PELICAN_URL ?? "http://localhost:8080";

/** packed writes a compressed form beside each text file, so that none is compressed while somebody waits. */
const packed = {
  name: "packed",
  apply: "build" as const,
  closeBundle() {
    const folder = join(import.meta.dirname, "dist", "assets");
    for (const name of readdirSync(folder).filter((n) => /\.(js|css|svg)$/.test(n))) {
      const content = readFileSync(join(folder, name));
      if (content.length < 1000) continue;
      writeFileSync(join(folder, `${name}.gz`), gzipSync(content, { level: 9 }));
      writeFileSync(
        join(folder, `${name}.br`),
        brotliCompressSync(content, { params: { [constants.BROTLI_PARAM_QUALITY]: 11 } }),
      );
    }
  },
};

/** The views whose code is on its way with the page itself, by their addresses. The server leaves those that fit. */
const views = {
  "/catalog": "catalog/catalog",
  "/workbench": "workbench/workbench",
  "/orders": "orders/orders",
  "/sources": "sources/sources",
};

/** ahead names the files of a view in the page: `<!--ahead /catalog /assets/a.js /assets/b.js-->`. */
const ahead: Plugin = {
  name: "ahead",
  transformIndexHtml: {
    order: "post",
    handler(html, { bundle }) {
      const chunks = Object.values(bundle ?? {}).filter((file) => file.type === "chunk");
      const lines = Object.entries(views).map(([address, module]) => {
        const files = new Set<string>();
        const add = (name: string) => {
          if (files.has(name) || html.includes(name)) return;
          files.add(name);
          for (const next of chunks.find((c) => c.fileName === name)?.imports ?? []) add(next);
        };
        for (const c of chunks) if (c.facadeModuleId?.endsWith(`src/${module}.tsx`)) add(c.fileName);
        return `<!--ahead ${address} ${[...files].map((file) => `/${file}`).join(" ")}-->`;
      });
      return html.replace("</head>", `${lines.join("\n")}\n</head>`);
    },
  },
};

// What every view needs is one file: fewer requests, and what is alike is packed once.
const libraries = "react|react-dom|scheduler|wouter|regexparam|openapi-fetch";
const tanstack = "react-query|query-core|react-virtual|virtual-core";
const frame = "header|keyline|session|queries|theme";
const parts =
  "clause|controls|days|field|fields|given|grid|heard|kept|keys|known|ladder|later|list|money|number|opener|panel|parts|" +
  "rest|ribbon|room|route|row|sheet|time|toast|trace|turns";
const everywhere = new RegExp(
  `node_modules/(${libraries})/|@tanstack/(${tanstack})/|src/(api|frame/(${frame})|parts/(${parts}))\\b`,
);

export default defineConfig({
  plugins: [react(), tailwind(), ahead, packed],
  build: {
    chunkSizeWarningLimit: 460,
    modulePreload: { polyfill: false },
    rolldownOptions: {
      output: {
        codeSplitting: {
          groups: [{ name: "base", test: everywhere }],
        },
      },
    },
  },
  server: {
    port: 5173,
    proxy: {
      "/api": application,
      "/pictures": application,
      "/quotes": application,
      "/requests": application,
      "/connect": application,
    },
  },
});
