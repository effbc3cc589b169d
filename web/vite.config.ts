import tailwind from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

const application = process.env.PELICAN_URL ?? "http://localhost:8080";

export default defineConfig({
  plugins: [react(), tailwind()],
  build: { chunkSizeWarningLimit: 450, modulePreload: { polyfill: false } },
  server: { port: 5173, proxy: { "/api": application, "/pictures": application, "/quotes": application, "/requests": application, "/connect": application } },
});
