/** Itineraries as strips on one axis of time: walks as stitches, waits as gaps, rides as bars. */
import { t } from "@lingui/core/macro";
import type { Results } from "../../api/client";

export type Leg = { itinerary: number; kind: "walk" | "ride"; text: string; from: string; to: string; begins_min: number; duration_min: number; departs: string; arrives: string; line_name?: string | null };

/** From so wide a bar on, in percent of the strip, it has room for its words. */
const ROOM = 6;

/** Minutes at which the axis is marked: few enough to be read. */
export function marksOf(first: number, last: number): number[] {
  const step = [5, 10, 15, 30, 60].find((minutes) => (last - first) / minutes <= 4) ?? 120;
  const from = Math.ceil(first / step) * step;
  return Array.from({ length: Math.max(Math.floor((last - from) / step) + 1, 0) }, (_, i) => from + i * step);
}

/** A minute of the service day as a clock shows it. */
const clockOf = (minute: number) => `${String(Math.floor(minute / 60) % 24).padStart(2, "0")}:${String(Math.round(minute) % 60).padStart(2, "0")}`;

export function Itineraries({ result, part }: { result: Results; part: string }) {
  const features = (result[part] as { features?: { properties: Leg }[] } | undefined)?.features ?? [];
  const legs = features.map(({ properties }) => properties);
  if (legs.length === 0) return null;
  const first = Math.min(...legs.map(({ begins_min }) => begins_min));
  const last = Math.max(...legs.map(({ begins_min, duration_min }) => begins_min + duration_min));
  const span = Math.max(last - first, 1);
  const share = (minutes: number) => `${(100 * minutes) / span}%`;
  const numbers = [...new Set(legs.map(({ itinerary }) => itinerary))];
  // The clock of the study, which differs from the service day where clocks were changed.
  const [leg] = legs;
  const [hours = 0, minutes = 0] = (leg?.departs ?? "").split(":").map(Number);
  const shift = leg ? hours * 60 + minutes - Math.floor(leg.begins_min) : 0;
  return (
    <div className="itineraries" role="list" aria-label={t`Departures side by side`}>
      {numbers.map((number) => {
        const own = legs.filter(({ itinerary }) => itinerary === number);
        const [begin, end] = [own[0], own[own.length - 1]];
        return (
          <div key={number} className="itinerary" role="listitem">
            <span className="when">{begin?.departs.slice(0, 5)}–{end?.arrives.slice(0, 5)}</span>
            <div className="strip">
              {own.map(({ kind, text, from, to, begins_min, duration_min, departs, arrives, line_name }, i) => {
                const words = kind === "ride" ? (line_name ?? "") : "";
                const title = `${departs.slice(0, 5)} ${from}: ${text}, ${arrives.slice(0, 5)} ${to}`;
                return (
                  <span key={i} className={kind} title={title} aria-label={title} style={{ left: share(begins_min - first), width: share(duration_min) }}>
                    {(100 * duration_min) / span > ROOM ? words : ""}
                  </span>
                );
              })}
            </div>
          </div>
        );
      })}
      <div className="itinerary axis" aria-hidden="true">
        <span className="when" />
        <div className="strip">
          {marksOf(first + shift, last + shift).filter((minute) => minute - shift - first < 0.86 * span).map((minute) => (
            <span key={minute} className="mark" style={{ left: share(minute - shift - first) }}>{clockOf(minute)}</span>
          ))}
        </div>
      </div>
    </div>
  );
}
