/** Test files share their modules, for speed: whatever a test leaves behind is cleared here, so that no other test meets it. */
import { cleanup } from "@testing-library/react";
import { afterEach, beforeAll, vi } from "vitest";
import { screenStore } from "../state/screen";

const initial = screenStore.getInitialState();

afterEach(() => {
  cleanup();
  screenStore.setState(initial, true);
  window.localStorage.clear();
  window.sessionStorage.clear();
});

beforeAll(() => void vi.unstubAllGlobals());
