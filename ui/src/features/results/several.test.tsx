import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import type { components } from "../../api/schema";
import { screenStore } from "../../state/screen";
import { lineOf, Several } from "./Several";

type Chart = components["schemas"]["Chart"];
const curve = (title: string, values: (number | null)[], more: object[] = []): Chart => ({ kind: "curve", title, series: [{ label: title, values }, ...more] }) as Chart;
const rooms = { kind: "several", title: "People inside each place", x: { label: "time", values: [780, 790, 800], clock: true }, several: [curve("Baths", [0, 20, 40], [{ label: "room", values: [40, 40, 40] }]), curve("Hall", [1, 2, 3])] } as Chart;
const sweep = { kind: "several", title: "By seats", x: { label: "seats", values: [0, 20, 40] }, several: [curve("Found no seat", [258, 30.5, 0])] } as Chart;

afterEach(cleanup);

describe("small curves", () => {
  it("tell the values at the moment that map and ruler show", () => {
    screenStore.setState({ moment: 795 });
    render(<Several chart={rooms} named={false} />);
    expect(screen.getByText("20 of 40")).toBeTruthy();
    expect(screen.getByRole("img", { name: "Hall: 2 at 13:15" })).toBeTruthy();
    screenStore.setState({ moment: null });
  });
  it("tell the most before anything is played, and of a sweep its ends", () => {
    render(<Several chart={rooms} named />);
    expect(screen.getByText("40 at most")).toBeTruthy();
    render(<Several chart={sweep} named />);
    expect(screen.getByText("258 to 0")).toBeTruthy();
  });
  it("are read under the pointer", () => {
    render(<Several chart={sweep} named />);
    const picture = screen.getByRole("img");
    picture.getBoundingClientRect = () => ({ left: 0, width: 100 }) as DOMRect;
    fireEvent.mouseMove(picture, { clientX: 52 });
    expect(screen.getByText(/at 20/)).toBeTruthy();
    fireEvent.mouseLeave(picture);
    expect(screen.queryByText(/at 20/)).toBeNull();
  });
  it("have gaps where there are no values", () => expect(lineOf([0, 1, 2, 3], [1, null, 1, 2], 2).match(/M/g)).toHaveLength(2));
});
