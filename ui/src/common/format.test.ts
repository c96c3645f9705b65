import { describe, expect, it } from "vitest";
import { ago, duration, elapsed, figure, ordinal, withUnit } from "./format";

describe("figures", () => {
  it("separates thousands", () => {
    expect(figure(9999)).toBe("9,999");
    expect(figure(1234567.891, 1)).toBe("1,234,567.9");
  });
  it("has a true minus, and none before zero", () => {
    expect(figure(-12.34, 1)).toBe("−12.3");
    expect(figure(-0.01, 1)).toBe("0.0");
  });
  it("shows a dash for what is not known", () => expect(figure(null)).toBe("–"));
  it("says hours as h:mm", () => {
    expect(duration(42)).toBe("42 s");
    expect(duration(14 * 60 + 20)).toBe("14 min");
    expect(duration(3 * 3600 + 5 * 60)).toBe("3:05 h");
  });
  it("says in ms what took less than a second, and never nothing", () => {
    expect([0, 0.0004, 0.012, 0.9994].map(elapsed)).toEqual(["1 ms", "1 ms", "12 ms", "999 ms"]);
    expect([0.9996, 1.04, 12.34].map(elapsed)).toEqual(["1.0 s", "1.0 s", "12.3 s"]);
  });
  it("says how long ago a moment was", () => {
    const now = Date.parse("2026-11-28T12:00:00Z");
    expect(["2026-11-28T11:59:30Z", "2026-11-28T11:57:00Z", "2026-11-27T12:00:00Z", "2026-09-20T12:00:00Z"].map((at) => ago(at, now))).toEqual(["just now", "3 minutes ago", "yesterday", "2 months ago"]);
  });
  it("counts in English and puts no space before a percent sign", () => {
    expect([1, 2, 3, 4, 11, 22].map(ordinal)).toEqual(["1st", "2nd", "3rd", "4th", "11th", "22nd"]);
    expect([withUnit("5", "%"), withUnit("5", "km"), withUnit("5", "")]).toEqual(["5%", "5 km", "5"]);
  });
});
