import { cleanup, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import { OVERVIEW, framed } from "../testing/fixtures";
import { Kept } from "./Stepper";

const now = { modes: 5, ready: 3, mode: "drive", title: "Drive", share: 0.42, what: "finding the order of streets" };
const line = (known: object) =>
  render(<Kept overview={OVERVIEW} changed="2026-08-04T12:00:00Z" />, {
    wrapper: framed([[["preparation", "ferrow", "abc", ""], known]]),
  });

afterEach(cleanup);

describe("the line under the title", () => {
  it("says what is made quick behind, and how far it is", () => {
    line({ done: false, now });
    const status = screen.getByRole("status");
    expect(status.textContent).toBe("Preparing the street network: 3 of 5 modes");
    expect(status.title).toContain("Drive: finding the order of streets, 42%");
  });

  it("says that all is kept once nothing is prepared", () => {
    line({ done: true, now: null });
    expect(screen.queryByRole("status")).toBeNull();
    expect(screen.getByText(/All changes kept/)).toBeTruthy();
  });
});
