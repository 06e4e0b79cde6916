import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: { outDir: "../src/yavik/server/static", emptyOutDir: true, chunkSizeWarningLimit: 2500 },
  server: {
    port: 5173,
    proxy: {
      "/api": {
        target: "http://127.0.0.1:8737",
        changeOrigin: true,
        // `make dev` gives both sides one key.
        headers: { origin: "http://127.0.0.1:8737", authorization: `Bearer ${process.env.YAVIK_KEY ?? ""}` },
      },
    },
  },
});
