import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { fileURLToPath } from "node:url";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  resolve: { alias: { "@": fileURLToPath(new URL("./src", import.meta.url)) } },
  build: { outDir: "../skelb/web/static", emptyOutDir: true, chunkSizeWarningLimit: 1200 },
  server: {
    proxy: {
      "/api": "http://127.0.0.1:8765",
      "/live": { target: "ws://127.0.0.1:8765", ws: true },
      "/lsp": { target: "ws://127.0.0.1:8765", ws: true },
    },
  },
});
