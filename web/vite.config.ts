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

export default defineConfig({
  plugins: [react(), tailwind(), packed],
  build: { chunkSizeWarningLimit: 450, modulePreload: { polyfill: false } },
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
