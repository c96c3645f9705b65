import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import { screenNow } from "../../state/screen";
import { DoubtView } from "./DoubtView";

const where = [{ name: "Baths", note: "44 m from a street", at: [-36.2, 41.3] }];
const doubt = { code: "places-far-from-street", grade: "note" as const, count: 3, text: "3 places lie far from a usable street.", where };

afterEach(cleanup);

describe("a doubt", () => {
  it("lists them, and shows one on the map with a click", () => {
    render(<DoubtView doubt={doubt} full />);
    expect(screen.queryByText("Baths")).toBeNull();
    fireEvent.click(screen.getByText("Show them"));
    expect(screen.getByText("44 m from a street")).toBeTruthy();
    fireEvent.click(screen.getByText("Baths"));
    expect(screenNow().goTo).toEqual([-36.2, 41.3]);
  });
  it("says how many more there are than it names, and lists nothing where it names none", () => {
    const { rerender } = render(<DoubtView doubt={doubt} full />);
    fireEvent.click(screen.getByText("Show them"));
    expect(screen.getByText("and 2 more")).toBeTruthy();
    rerender(<DoubtView doubt={{ ...doubt, where: undefined }} full />);
    expect(screen.queryByText("Show them")).toBeNull();
  });
  it("of a question that is not selected lists nothing", () => {
    render(<DoubtView doubt={doubt} full={false} />);
    expect(screen.queryByText("Show them")).toBeNull();
  });
});
