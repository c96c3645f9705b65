import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Upload } from "../../api/uploads";
import type { JobInfo } from "../../api/studies";
import { framed } from "../../testing/fixtures";
import { LineForm } from "./LineForm";

const INCOMING: Upload = {
  token: "a1",
  name: "lines.gpkg",
  kind: "layers",
  layers: [
    {
      name: "streets", geometry: "line", count: 109, length_km: 30.9, crs: "EPSG:32625", types: { v_kmh: "number" },
      fields: { class: ["residential"], dir: ["B", "F", "T"], sense: ["1", "2", "0"], v_kmh: ["30"] },
      roles: { street_class: "class", name: null, speed: "v_kmh", direction: "dir", level: null, cost_forward: null, cost_backward: null, forward: "F", backward: "T", both: "B", default_class: "residential" },
      known: { street_class: 1, speed: 0.709, name: 0, direction: 1 },
      joins: { crossings: { broken: 1204, connected: 0.98, zero_length: 1 }, ends: { broken: 0, connected: 0.413, zero_length: 1 } },
    },
    { name: "nodes", geometry: "point", count: 313, crs: "EPSG:32625", fields: { node_no: ["2001"] } },
  ],
};

let sent: { address: string; method: string; body: Record<string, unknown> | null }[];
let job: Partial<JobInfo>;

beforeEach(() => {
  sent = [];
  job = { jobID: "j1", status: "successful", progress: 100, message: "", result: { study: "lines" } };
  vi.stubGlobal("fetch", (address: string, init?: RequestInit) => {
    const body = init?.body ? (JSON.parse(init.body as string) as Record<string, unknown>) : null;
    sent.push({ address, method: init?.method ?? "GET", body });
    return Promise.resolve(new Response(JSON.stringify(job), { status: 200 }));
  });
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

function open() {
  const onDone = vi.fn();
  const onClose = vi.fn();
  render(<LineForm upload={INCOMING} study={null} onDone={onDone} onClose={onClose} />, { wrapper: framed() });
  return { onDone, onClose };
}
const word = (label: string) => screen.getByLabelText<HTMLSelectElement>(label);
const built = () => sent.find(({ address }) => address.endsWith("/streets"))?.body;

describe("lines to streets", () => {
  it("says what came in and begins with the guess", () => {
    open();
    expect(screen.getByTestId("line-form").textContent).toContain("holds 109 lines, 30.9 km");
    expect(screen.getByTestId("line-form").textContent).toContain("71% a speed");
    expect(word("Field with the direction").value).toBe("dir");
    expect(word("Field with the name").value).toBe("none");
    expect([...word("Value that means against it").options].map(({ value }) => value)).toEqual(["T", "B", "F"]);
  });
  it("builds with the words as they stand", async () => {
    const { onDone } = open();
    fireEvent.change(screen.getByLabelText("First node number"), { target: { value: "1001" } });
    fireEvent.click(screen.getByText("Build streets"));
    await waitFor(() => expect(onDone).toHaveBeenCalled());
    expect(built()).toMatchObject({
      study: null, layer: "streets", tolerance: 0.5, first_node: 1001, nodes_layer: null,
      fields: { direction: "dir", name: "none", level: "none", forward: "F" },
    });
  });
  it("says what either way of joining makes of the lines, and takes the one chosen", async () => {
    const { onDone } = open();
    const told = screen.getByTestId("line-form").textContent;
    expect(told).toContain("meet in 1,204 places between their ends, and 98.0% of their length is connected; by end points alone 41.3%");
    expect(told).toContain("1 line has no length and is left out");
    fireEvent.change(word("Where lines meet"), { target: { value: "ends" } });
    fireEvent.click(screen.getByText("Build streets"));
    await waitFor(() => expect(onDone).toHaveBeenCalled());
    expect(built()).toMatchObject({ break_crossings: false });
  });
  it("asks for no meaning of values where no field gives the direction", () => {
    open();
    fireEvent.change(word("Field with the direction"), { target: { value: "none" } });
    expect(screen.queryByLabelText("Value that means against it")).toBeNull();
  });
  it("offers the values of another direction field", () => {
    open();
    fireEvent.change(word("Field with the direction"), { target: { value: "sense" } });
    expect([...word("Value that means along the line as drawn").options].map(({ value }) => value)).toEqual(["F", "1", "2", "0"]);
  });
  it("numbers by a node layer instead of anew", async () => {
    const { onDone } = open();
    fireEvent.change(word("Numbering"), { target: { value: JSON.stringify(["nodes", "node_no"]) } });
    expect(screen.queryByLabelText("First node number")).toBeNull();
    fireEvent.click(screen.getByText("Build streets"));
    await waitFor(() => expect(onDone).toHaveBeenCalled());
    expect(built()).toMatchObject({ nodes_layer: "nodes", nodes_field: "node_no" });
  });
  it("says why it failed and can be tried again", async () => {
    const { onDone } = open();
    job = { jobID: "j1", status: "failed", progress: 0, message: "", problem: { title: "", detail: "5 node(s) have no number" } };
    fireEvent.click(screen.getByText("Build streets"));
    expect((await screen.findByRole("alert")).textContent).toBe("5 node(s) have no number");
    expect(onDone).not.toHaveBeenCalled();
    expect(screen.getByText<HTMLButtonElement>("Build streets").disabled).toBe(false);
  });
  it("lets the file go when it is left", () => {
    const { onClose } = open();
    fireEvent.click(screen.getByText("Cancel"));
    expect(onClose).toHaveBeenCalled();
    expect(sent).toMatchObject([{ address: "/uploads/a1", method: "DELETE" }]);
  });
});
