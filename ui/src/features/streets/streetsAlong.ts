/** A street that is drawn, as edits. */
import { added, type EditFeature, type Position } from "../../api/edits";
import type { Snap } from "../../state/slices/edits";

/** New streets along corners: each corner that meets something ends one and begins the next. */
export function streetsAlong(corners: Snap[], tags: Record<string, string>): EditFeature[] {
  const edits: EditFeature[] = [];
  let line: Position[] = [];
  corners.forEach(({ at, on }, nth) => {
    line.push(at);
    const isLast = nth === corners.length - 1;
    if (line.length > 1 && (isLast || on !== "free")) {
      edits.push(added(line, tags));
      line = [at];
    }
  });
  return edits;
}
