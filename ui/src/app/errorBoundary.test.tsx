import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, expect, it, vi } from "vitest";
import { ErrorBoundary } from "./ErrorBoundary";

afterEach(cleanup);

it("shows the fault and the way on in place of a page that failed, and nothing otherwise", () => {
  vi.spyOn(console, "error").mockImplementation(() => undefined);
  let broken = true;
  const Page = () => {
    if (broken) throw new Error("names is undefined");
    return <p>The page</p>;
  };
  render(
    <ErrorBoundary>
      <Page />
    </ErrorBoundary>,
  );
  expect(screen.getByRole("alert").textContent).toContain("Nothing is lost");
  expect(screen.getByRole("alert").textContent).toContain("names is undefined");
  broken = false;
  fireEvent.click(screen.getByText("all studies"));
  expect(screen.getByText("The page")).toBeTruthy();
  vi.restoreAllMocks();
});
