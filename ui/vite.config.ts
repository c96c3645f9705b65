import { fileURLToPath } from "node:url";
import { lingui } from "@lingui/vite-plugin";
import babel from "@rolldown/plugin-babel";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

/** The wording's macros are resolved before all else, in the files alone that use them. */
const wording = babel({ presets: [{ preset: { plugins: ["@lingui/babel-plugin-lingui-macro"] }, rolldown: { filter: { code: /from "@lingui\/(core|react)\/macro"/ } } }] });

const ALONE = ["src/map/mapCanvas.test.tsx", "src/features/sources/together.test.ts"];

export default defineConfig({
  plugins: [lingui(), wording, react()],
  resolve: { alias: { "@awl/wording": fileURLToPath(new URL("src/common/wording.tsx", import.meta.url)) } },
  build: { outDir: "dist", sourcemap: false, chunkSizeWarningLimit: 2500 },
  server: { proxy: { "/studies": "http://127.0.0.1:8787", "/jobs": "http://127.0.0.1:8787" } },
  test: {
    environment: "jsdom",
    // Test files share their modules, which is three times as fast; two that change what they stand on run by themselves.
    projects: [
      { extends: true, test: { name: "shared", isolate: false, setupFiles: ["src/testing/fresh.ts"], include: ["src/**/*.test.{ts,tsx}"], exclude: ALONE } },
      { extends: true, test: { name: "alone", include: ALONE } },
    ],
  },
});
