import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  // A page without a browser: what a browser alone can show is looked at in tests/browser.
  test: { environment: "happy-dom", restoreMocks: true },
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
