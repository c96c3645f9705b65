/** The street layer in step with what it should show: a mode, a reach, or a reach that follows what is dragged. */
import { t } from "@lingui/core/macro";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useRef } from "react";
import type { Inputs } from "../../api/inputs";
import { liveReach } from "../../api/live";
import type { Packed } from "../../api/packed";
import { modeArrays } from "../../api/studies";
import type { StreetsShown } from "../../map/content";
import type { Standing } from "../../map/MapCanvas";
import { useScreenValue } from "../../state/screen";
import { streetsAlong } from "../streets/streetsAlong";
import { valuesOf } from "./modeBands";

/** What a mode makes of the streets, kept once fetched; null while it is on its way or no mode is wanted. */
function useModeArrays(study: string, revision: string, mode: string | null, at: string | null, whatIfs: string[]): Packed | null {
  const { data } = useQuery({
    queryKey: ["mode-arrays", study, revision, mode, at],
    queryFn: () => modeArrays(study, mode ?? "", at, whatIfs),
    enabled: mode !== null,
    staleTime: Infinity,
    meta: { panel: "map", what: t`What the mode makes of the streets` },
  });
  return data ?? null;
}

/** Keep the street layer in step with what it should show; while a point is dragged it follows the newest reach. */
export function useStreets(standing: Standing | null, study: string, revision: string, shown: StreetsShown, whatIfs: string[]): void {
  const scene = standing?.scene ?? null;
  const styled = standing?.styled ?? 0;
  const live = useScreenValue((screen) => screen.live);
  const { mode, at, beside } = shown.kind === "mode" ? shown : { mode: null, at: null, beside: null };
  const modeData = useModeArrays(study, revision, mode, at, whatIfs);
  const besideData = useModeArrays(study, revision, beside, at, whatIfs);
  const reachInputs = shown.kind === "reach" ? reachOf(shown.inputs) : null;
  // A street that is drawn counts from its second corner on.
  const sketch = useScreenValue(({ sketch }) => sketch);
  const corners = sketch?.of === "street" ? sketch.corners : null;
  const tags = sketch?.tags;
  const edits = useMemo(() => (corners && tags && corners.length > 1 ? streetsAlong(corners, tags) : null), [corners, tags]);
  const { data: reach } = useQuery({
    queryKey: ["reach", study, revision, reachInputs, edits],
    queryFn: ({ signal }) => liveReach(study, reachInputs ?? {}, signal, edits),
    placeholderData: (former) => (edits ? former : undefined),
    enabled: reachInputs !== null,
    gcTime: 60_000,
    meta: { panel: "map", what: t`The streets within reach` },
  });
  const limits = shown.kind === "reach" ? shown.limits : [];
  const factor = reachInputs?.measure === "distance" ? 1000 : 60_000;

  useEffect(() => {
    const layer = scene?.streetLayer;
    if (!layer || !styled || live) return;
    if (shown.kind === "plain") layer.showMode(null, null);
    if (shown.kind === "mode" && modeData) {
      const [forward, backward] = modeData.arrays as [Int32Array, Int32Array];
      const values = shown.values ? valuesOf(shown.values.by, modeData, besideData) : null;
      if (values && shown.values) layer.showValues(values.values, values.forward, values.backward, shown.values.limits);
      else layer.showMode(forward, backward);
    }
    if (shown.kind === "reach" && reach) layer.showReach(reach, limits.map((limit) => limit * factor));
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [scene, styled, shown, modeData, besideData, reach, live]);

  // While dragging: one request in flight, the newest inputs next.
  const pending = useRef<{ busy: boolean; next: Inputs | null }>({ busy: false, next: null });
  useEffect(() => {
    if (!live || !scene) return;
    const state = pending.current;
    state.next = live.inputs;
    if (state.busy) return;
    state.busy = true;
    void (async () => {
      while (state.next) {
        const inputs = reachOf(state.next);
        state.next = null;
        try {
          const packed = await liveReach(study, inputs);
          const scale = inputs.measure === "distance" ? 1000 : 60_000;
          scene.streetLayer?.showReach(packed, (inputs.limits as number[]).map((limit) => limit * scale));
        } catch {
          // The point is off the streets for a moment; the next position will tell.
        }
      }
      state.busy = false;
    })();
  }, [live, scene, study]);
}

/** The words of any question that decide its reach. */
function reachOf(inputs: Inputs): Inputs {
  const names = ["mode", "at", "places", "limits", "direction", "measure", "snap", "closures", "what_if", "window", "percentile", "max_changes", "max_walk", "max_wait"];
  return Object.fromEntries(names.filter((name) => inputs[name] !== undefined).map((name) => [name, inputs[name]]));
}
