import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [react({ compiler: true })],
  resolve: { alias: { "@emotion/hash": new URL("src/style-names.ts", import.meta.url).pathname } },
  build: { outDir: "../whorl/web", emptyOutDir: true, assetsInlineLimit: 0, chunkSizeWarningLimit: 2500 },
  server: { proxy: { "/api": "http://127.0.0.1:8321" } },
});
