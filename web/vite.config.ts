import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react()],
  base: "/static/",
  html: { cspNonce: "MOONPLAN_NONCE" },
  build: { outDir: "dist", target: "es2022", modulePreload: { polyfill: false } },
  server: { proxy: { "/api": "http://127.0.0.1:8321" } },
  test: { environment: "node", include: ["src/**/*.test.ts"] },
});
