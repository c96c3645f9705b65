/** What is answered at once while something is dragged or drawn. */
import type { EditFeature } from "./edits";
import type { Inputs } from "./inputs";
import { packed } from "./studies";

/** How far one gets; with edits that nobody has made yet, as it would be after them. */
export const liveReach = (study: string, inputs: Inputs, signal?: AbortSignal, edits?: EditFeature[] | null) =>
  packed(`/studies/${study}/live/reach`, {
    method: "POST",
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify({ inputs, ...(edits ? { edits } : {}) }),
    ...(signal ? { signal } : {}),
  });
