import { fireEvent, render, screen, waitFor } from "@testing-library/react";
import { useQuery } from "@tanstack/react-query";
import { expect, it, vi } from "vitest";
import type { Upload } from "../../api/uploads";
import { framed } from "../../testing/fixtures";
import { useBuild } from "./form";

it("does not wait for a preview of a file that is being brought in", async () => {
  const order: string[] = [];
  vi.stubGlobal("fetch", (address: string) => {
    order.push(address);
    return Promise.resolve(new Response(JSON.stringify({ jobID: "j1", status: "successful", progress: 100, message: "" })));
  });
  function Both() {
    const { add } = useBuild({ token: "a1", name: "zones.geojson" } as Upload, () => undefined);
    useQuery({
      queryKey: ["preview", "a1", "{}"],
      queryFn: ({ signal }) => new Promise((_, reject) => signal.addEventListener("abort", () => (order.push("preview ended"), reject(new Error())))),
    });
    return <button onClick={() => void add("town", [])}>Add</button>;
  }
  render(<Both />, { wrapper: framed() });
  fireEvent.click(screen.getByText("Add"));
  await waitFor(() => expect(order[1]).toContain("a1"));
  expect(order[0]).toBe("preview ended");
});
