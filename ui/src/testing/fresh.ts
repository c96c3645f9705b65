/** Test files share their modules, for speed: whatever a test leaves behind is cleared here, so that no other test meets it. */
import { cleanup, configure } from "@testing-library/react";
import { afterEach, beforeAll, vi } from "vitest";
import { screenStore } from "../state/screen";

// A busy machine is slow, not wrong: what is waited for has as long as a test has.
configure({ asyncUtilTimeout: 20_000 });

const initial = screenStore.getInitialState();

afterEach(() => {
  cleanup();
  document.body.replaceChildren();
  screenStore.setState(initial, true);
  window.localStorage.clear();
  window.sessionStorage.clear();
});

beforeAll(() => void vi.unstubAllGlobals());
