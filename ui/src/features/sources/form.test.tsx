import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { useState } from "react";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import type { Upload } from "../../api/uploads";
import { screenNow, screenStore, useScreen } from "../../state/screen";
import { framed } from "../../testing/fixtures";
import { useBuild } from "./form";
import { usePreview } from "./waiting";

const UPLOAD = { token: "a1", name: "zones.geojson" } as Upload;
let order: string[];
let outcome: "successful" | "failed";

beforeEach(() => {
  order = [];
  outcome = "successful";
  screenStore.setState({ ...screenNow(), draft: { upload: UPLOAD, without: [], area: null } });
  vi.stubGlobal("fetch", (address: string, init?: RequestInit) => {
    const preview = address.includes("preview");
    if (preview || init?.method === "POST") order.push(preview ? "preview asked" : "brought in");
    if (!preview) return Promise.resolve(new Response(JSON.stringify({ jobID: "j1", status: outcome, progress: 100, message: "" })));
    // As long as the file is there its preview takes for ever; it ends when it is not waited for any more.
    return new Promise((_, reject) => init?.signal?.addEventListener("abort", () => (order.push("preview ended"), reject(new Error()))));
  });
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
  screenStore.setState({ ...screenNow(), draft: null });
});

function Preview() {
  const { draft } = useScreen("draft");
  usePreview(draft ?? { upload: UPLOAD, without: [], area: null });
  return null;
}

/** The form, and the map of the file, which is there at once or comes late. */
function Form({ late }: { late: boolean }) {
  const [shown, show] = useState(!late);
  const { add, problem } = useBuild(UPLOAD, () => undefined);
  return (
    <>
      <button onClick={() => void add("town", [])}>Add</button>
      <button onClick={() => show(true)}>Map</button>
      {problem && <p role="alert">{problem}</p>}
      {shown && <Preview />}
    </>
  );
}
const open = (late: boolean) => render(<Form late={late} />, { wrapper: framed() });

it("does not wait for a preview of a file that is being brought in", async () => {
  open(false);
  fireEvent.click(screen.getByText("Add"));
  await waitFor(() => expect(order).toContain("brought in"));
  expect(order).toEqual(["preview asked", "preview ended", "brought in"]);
});

it("asks for no preview of a file that is being brought in, however late its map is there", async () => {
  open(true);
  fireEvent.click(screen.getByText("Add"));
  fireEvent.click(screen.getByText("Map"));
  await waitFor(() => expect(order).toContain("brought in"));
  expect(order).toEqual(["brought in"]);
});

it("asks for the preview again where the file could not be brought in", async () => {
  outcome = "failed";
  open(false);
  fireEvent.click(screen.getByText("Add"));
  await screen.findByRole("alert");
  await waitFor(() => expect(order).toEqual(["preview asked", "preview ended", "brought in", "preview asked"]));
});
