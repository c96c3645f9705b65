/** Itineraries as strips on one axis of time: walks as stitches, waits as gaps, rides as bars. */
import { t } from "@lingui/core/macro";
import type { Results } from "../../api/client";
import { useScreen } from "../../state/screen";
import { clockOf, shiftOf, type Leg } from "./legs";

/** From so wide a bar on, in percent of the strip, it has room for its words. */
const ROOM = 6;

/** Minutes at which the axis is marked: few enough to be read. */
export function marksOf(first: number, last: number): number[] {
  const step = [5, 10, 15, 30, 60].find((minutes) => (last - first) / minutes <= 4) ?? 120;
  const from = Math.ceil(first / step) * step;
  return Array.from({ length: Math.max(Math.floor((last - from) / step) + 1, 0) }, (_, i) => from + i * step);
}

export function Itineraries({ result, part }: { result: Results; part: string }) {
  const { playing, play } = useScreen("playing", "play");
  const features = (result[part] as { features?: { properties: Leg }[] } | undefined)?.features ?? [];
  const legs = features.map(({ properties }) => properties);
  const first = Math.min(...legs.map(({ begins_min }) => begins_min));
  const last = Math.max(...legs.map(({ begins_min, duration_min }) => begins_min + duration_min));
  const span = Math.max(last - first, 1);
  const share = (minutes: number) => `${(100 * minutes) / span}%`;
  const numbers = [...new Set(legs.map(({ itinerary }) => itinerary))];
  const [leg] = legs;
  if (!leg) return null;
  const shift = shiftOf(leg);
  return (
    <div className="itineraries" role="list" aria-label={t`Departures side by side`}>
      {numbers.map((number) => {
        const own = legs.filter(({ itinerary }) => itinerary === number);
        const [begin, end] = [own[0], own[own.length - 1]];
        return (
          <div key={number} className="itinerary" role="listitem">
            <button className="linkish when" aria-pressed={playing === number} title={t`Play it along its way on the map`} onClick={() => play(playing === number ? null : number)}>
              {begin?.departs.slice(0, 5)}–{end?.arrives.slice(0, 5)}
            </button>
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
            <span key={minute} className="mark" style={{ left: share(minute - shift - first) }}>{clockOf(minute - shift, leg)}</span>
          ))}
        </div>
      </div>
    </div>
  );
}
