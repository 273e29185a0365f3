import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: { chunkSizeWarningLimit: 1200, assetsInlineLimit: 0 },
  server: { proxy: { "/api": "http://127.0.0.1:8420", "/live": { target: "ws://127.0.0.1:8420", ws: true } } },
  test: { environment: "happy-dom", include: ["src/**/*.test.ts", "src/**/*.test.tsx"] },
});
