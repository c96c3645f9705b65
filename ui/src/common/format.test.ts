import { describe, expect, it } from "vitest";
import { duration, elapsed, figure } from "./format";

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
});
