import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { fileURLToPath } from "node:url";
import { gzipSync } from "node:zlib";
import { lingui } from "@lingui/vite-plugin";
import babel from "@rolldown/plugin-babel";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

/** The wording's macros are resolved before all else, in the files alone that use them. */
const wording = babel({ presets: [{ preset: { plugins: ["@lingui/babel-plugin-lingui-macro"] }, rolldown: { filter: { code: /from "@lingui\/(core|react)\/macro"/ } } }] });

/** Each script and style also compressed, which the server sends to whoever takes that. */
const compressed = {
  name: "compressed",
  apply: "build" as const,
  writeBundle({ dir = "" }: { dir?: string }) {
    for (const name of readdirSync(`${dir}/assets`).filter((file) => /\.(js|css|mjs)$/.test(file))) {
      const path = `${dir}/assets/${name}`;
      writeFileSync(`${path}.gz`, gzipSync(readFileSync(path), { level: 9 }));
    }
  },
};

/** The page of a form is written by the server, which knows its script and its style by these names. */
const FORM = "form";
const named = (name: string, ending: string) => (name === FORM ? `assets/${FORM}.${ending}` : `assets/[name]-[hash].${ending}`);

const ALONE = ["src/map/mapCanvas.test.tsx", "src/features/sources/together.test.ts"];

export default defineConfig({
  plugins: [lingui(), wording, react(), compressed],
  resolve: { alias: { "@awl/wording": fileURLToPath(new URL("src/common/wording.tsx", import.meta.url)) } },
  build: {
    outDir: "dist",
    sourcemap: false,
    chunkSizeWarningLimit: 2500,
    rolldownOptions: {
      input: { index: fileURLToPath(new URL("index.html", import.meta.url)), [FORM]: fileURLToPath(new URL("src/form/main.ts", import.meta.url)) },
      output: {
        entryFileNames: ({ name }) => named(name, "js"),
        assetFileNames: ({ names }) => (names.includes(`${FORM}.css`) ? named(FORM, "css") : "assets/[name]-[hash][extname]"),
      },
    },
  },
  server: { proxy: { "/studies": "http://127.0.0.1:8787", "/jobs": "http://127.0.0.1:8787" } },
  test: {
    environment: "jsdom",
    testTimeout: 30_000,
    // Test files share their modules, which is three times as fast; two that change what they stand on run by themselves.
    projects: [
      { extends: true, test: { name: "shared", isolate: false, setupFiles: ["src/testing/fresh.ts"], include: ["src/**/*.test.{ts,tsx}"], exclude: ALONE } },
      { extends: true, test: { name: "alone", include: ALONE } },
    ],
  },
});
