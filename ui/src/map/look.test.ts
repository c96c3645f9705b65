import { beforeEach, describe, expect, it } from "vitest";
import { setTokens, TOKENS } from "../testing/fixtures";
import { bands, rgb, shareRamp, streetLook, streetWidth, tints } from "./look";

beforeEach(() => setTokens(TOKENS));
/** Relative luminance, WCAG 2.2. */
const light = (hex: string) => {
  const [r, g, b] = rgb(hex).map((v) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4)) as [number, number, number];
  return 0.2126 * r + 0.7152 * g + 0.0722 * b;
};

describe("bands", () => {
  it("are the tokens where there are three", () => expect(bands(3).map(({ street }) => street)).toEqual(["#5b1647", "#b4472f", "#b67710"]));
  it.each([1, 2, 4, 7, 12])("grow lighter outward, %i of them", (count) => {
    const tones = bands(count).map(({ fill }) => light(fill));
    expect(tones).toHaveLength(count);
    expect([...tones].sort((a, b) => a - b)).toEqual(tones);
    expect(new Set(tones).size).toBe(count);
  });
});

it("shades shares from paper to ink in even steps", () => {
  const tones = shareRamp().map(light);
  expect([...tones].sort((a, b) => b - a)).toEqual(tones);
});

it("gives each of many catchments a tint, neighbours in the list different ones", () => {
  const many = tints(20);
  expect(many).toHaveLength(20);
  expect(many.every((tint, i) => i === 0 || tint !== many[i - 1])).toBe(true);
});

describe("street widths", () => {
  it("keep the order of the classes at every zoom", () => {
    for (const zoom of [12.6, 14, 16, 18]) {
      const widths = ["motorway", "primary", "secondary", "tertiary", "residential"].map((name) => streetWidth(name, zoom));
      expect([...widths].sort((a, b) => b - a)).toEqual(widths);
    }
  });
  it("grow with the zoom and hide small streets far out", () => {
    expect(streetWidth("residential", 17)).toBeGreaterThan(streetWidth("residential", 14));
    expect(streetWidth("service", 13)).toBe(0);
    expect(streetWidth("primary", 9)).toBeGreaterThan(0);
  });
});

it("draws a street of no known class like a small one", () => {
  setTokens({ "--st-main": "#111111", "--st-sec": "#222222", "--st-minor": "#333333", "--st-path": "#444444", "--st-fade": "#555555" });
  const look = streetLook(3);
  expect(look.ink("corridor")).toEqual(look.ink("residential"));
  expect(look.ink("footway")).toEqual(rgb("#444444"));
  expect(look.bands).toHaveLength(3);
});
