/** A chosen departure is played along its way: a mark goes with the time of the itinerary, walks, waits and rides. */
import type { FeatureCollection, Position as Place } from "geojson";
import { useEffect } from "react";
import type { Scene } from "../../map/scene";
import { useScreen } from "../../state/screen";
import { useAnswer } from "../../state/sheet";
import { clockOf, type Leg } from "../results/legs";

type Line = { leg: Leg; line: Place[] };

/** So long a whole itinerary takes on the screen, in ms. */
const LASTS = 12_000;

/** The place at a share of the length of a line. */
export function placeAlong(line: Place[], share: number): Place {
  const shrink = Math.cos(((line[0]?.[1] ?? 0) * Math.PI) / 180);
  const lengths = line.slice(1).map((to, i) => Math.hypot(((to[0] ?? 0) - (line[i]?.[0] ?? 0)) * shrink, (to[1] ?? 0) - (line[i]?.[1] ?? 0)));
  let left = Math.min(Math.max(share, 0), 1) * lengths.reduce((sum, length) => sum + length, 0);
  for (const [i, length] of lengths.entries()) {
    const [from, to] = [line[i] as Place, line[i + 1] as Place];
    if (left <= length || i === lengths.length - 1) {
      const part = length > 0 ? Math.min(left / length, 1) : 0;
      return [(from[0] ?? 0) + part * ((to[0] ?? 0) - (from[0] ?? 0)), (from[1] ?? 0) + part * ((to[1] ?? 0) - (from[1] ?? 0))];
    }
    left -= length;
  }
  return line[0] ?? [0, 0];
}

/** Where one is at a minute of the service day: on a leg, or waiting where the one before ended. */
export function placeAt(lines: Line[], minute: number): { at: Place; leg: Leg; waits: boolean } | null {
  const begun = lines.filter(({ leg }) => leg.begins_min <= minute);
  const now = begun[begun.length - 1] ?? lines[0];
  if (!now) return null;
  const share = now.leg.duration_min > 0 ? (minute - now.leg.begins_min) / now.leg.duration_min : 1;
  return { at: placeAlong(now.line, share), leg: now.leg, waits: share > 1 };
}

const linesOf = (legs: FeatureCollection | undefined, itinerary: number): Line[] =>
  (legs?.features ?? []).flatMap(({ geometry, properties }) => {
    const leg = properties as Leg;
    return leg.itinerary === itinerary && geometry.type === "LineString" ? [{ leg, line: geometry.coordinates }] : [];
  });

/** Moves a mark along the itinerary that is played, and takes it away at the end. */
export function usePlaying(scene: Scene | null, study: string): void {
  const { stage, question, playing, play } = useScreen("stage", "question", "playing", "play");
  const { data: answer } = useAnswer(study, stage === "sheet" ? question : null);
  useEffect(() => {
    if (!scene || playing === null) return;
    const lines = linesOf(answer?.result.legs as FeatureCollection | undefined, playing);
    const [first, last] = [lines[0]?.leg, lines[lines.length - 1]?.leg];
    if (!first || !last) return play(null);
    const [begin, end] = [first.begins_min, last.begins_min + last.duration_min];
    const mark = scene.mark();
    let frame = 0;
    let started: number | null = null;
    const step = (now: number) => {
      started ??= now;
      const minute = begin + ((now - started) / LASTS) * (end - begin);
      const where = placeAt(lines, Math.min(minute, end));
      if (!where || minute > end) return play(null);
      mark.show(where.at as [number, number], `${clockOf(minute, first)} ${where.waits ? "" : (where.leg.line_name ?? "")}`.trim(), where.leg.kind === "ride" && !where.waits);
      frame = requestAnimationFrame(step);
    };
    frame = requestAnimationFrame(step);
    return () => {
      cancelAnimationFrame(frame);
      mark.remove();
    };
  }, [scene, playing, answer, play]);
}
