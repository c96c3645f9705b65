import { describe, expect, it } from "vitest";

/** From the ground up: a folder imports itself and what stands before it. */
const LAYERS = ["common", "api", "map", "state", "controls", "features", "app", "form"];

const SOURCES = import.meta.glob<string>("../**/*.{ts,tsx}", { query: "?raw", import: "default", eager: true });
const texts = new Map(
  Object.entries(SOURCES)
    .map(([path, text]): [string, string] => [path.replace(/^\.\.\//, ""), text])
    .filter(([file]) => !/\.test\.|^\.\/|schema\.d|^main/.test(file)),
);
const files = [...texts.keys()];
const IMPORT = /(?:from|import\()\s*"(\.[^"]+)"/g;

/** The file that a path leads to from another one. */
function resolved(from: string, path: string): string[] {
  const parts = from.split("/").slice(0, -1);
  for (const part of path.split("/")) {
    if (part === "..") parts.pop();
    else if (part !== ".") parts.push(part);
  }
  return files.filter((file) => file.replace(/\.tsx?$/, "") === parts.join("/"));
}
const importsOf = (file: string) => [...(texts.get(file) ?? "").matchAll(IMPORT)].flatMap(([, path = ""]) => resolved(file, path));
const graph = new Map(files.map((file) => [file, importsOf(file)]));
const folder = (file: string) => file.split("/")[0] ?? "";

describe("the folders of the front end", () => {
  it("import downwards alone", () => {
    const upwards = files.flatMap((file) => (graph.get(file) ?? []).filter((other) => LAYERS.indexOf(folder(other)) > LAYERS.indexOf(folder(file))).map((other) => `${file} -> ${other}`));
    expect(files.length).toBeGreaterThan(90);
    expect(upwards).toEqual([]);
  });
  it("hold no circle of files, types included", () => {
    const done = new Set<string>();
    const walk = (file: string, path: string[]): string[] => {
      if (path.includes(file)) return [[...path.slice(path.indexOf(file)), file].join(" -> ")];
      if (done.has(file)) return [];
      const found = (graph.get(file) ?? []).flatMap((other) => walk(other, [...path, file]));
      done.add(file);
      return found;
    };
    expect(files.flatMap((file) => walk(file, []))).toEqual([]);
  });
  it("name no question: each is described by the server", () => {
    const named = files.filter((file) => /(?:process|processID)(?:\.id)? [!=]== "/.test(texts.get(file) ?? ""));
    expect(named).toEqual([]);
  });
});
