import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react()],
  build: { outDir: "dist", sourcemap: false, chunkSizeWarningLimit: 2500 },
  server: { proxy: { "/studies": "http://127.0.0.1:8787", "/jobs": "http://127.0.0.1:8787" } },
  test: { environment: "jsdom", include: ["src/**/*.test.{ts,tsx}"] },
});
