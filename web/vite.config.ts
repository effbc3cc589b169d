import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { brotliCompressSync, constants, gzipSync } from "node:zlib";
import tailwind from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

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

// What every view needs is one file: fewer requests, and what is alike is packed once.
const libraries = "react|react-dom|scheduler|wouter|regexparam|openapi-fetch";
const tanstack = "react-query|query-core|react-virtual|virtual-core";
const frame = "header|keyline|session|queries|theme";
const parts =
  "clause|controls|days|field|fields|given|grid|kept|keys|known|ladder|later|list|money|number|opener|panel|parts|" +
  "presence|ribbon|room|route|row|sheet|time|toast|trace|turns";
const everywhere = new RegExp(
  `node_modules/(${libraries})/|@tanstack/(${tanstack})/|src/(api|frame/(${frame})|parts/(${parts}))\\b`,
);

export default defineConfig({
  plugins: [react(), tailwind(), packed],
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
