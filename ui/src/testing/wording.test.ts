import { getCatalogs } from "@lingui/cli/api";
import { getConfig } from "@lingui/conf";
import { describe, expect, it } from "vitest";

describe("the catalogue of texts", () => {
  it("holds the texts that are used, and no other: `npm run wording` gathers them", async () => {
    const [catalogue] = await getCatalogs(getConfig());
    const [used, kept] = await Promise.all([catalogue?.collect(), catalogue?.read("en")]);
    const texts = (messages: object | undefined) => Object.keys(messages ?? {}).sort();
    expect(texts(used).length).toBeGreaterThan(500);
    expect(texts(kept)).toEqual(texts(used));
  }, 60_000);

  it("cuts no sentence: a text neither ends with a space nor begins with one or a mark", async () => {
    const [catalogue] = await getCatalogs(getConfig());
    const kept = Object.values((await catalogue?.read("en")) ?? {}).map(({ message, translation }) => String(message ?? translation));
    expect(kept.filter((text) => text !== text.trim() || /^[,;:.]/.test(text))).toEqual([]);
  });
});
