/** A doubt of an answer; where it is about places or trips, they are listed, and each is shown on the map with one click. */
import type { FeatureCollection } from "geojson";
import { useState } from "react";
import type { Results } from "../api/client";
import { figure } from "../common/format";
import type { Answer } from "../state/sheet";
import { useScreen } from "../state/store";

type Listed = { name: string; note: string; at: [number, number] | null };
const MOST = 40;
const FAR_M = 30;

export function DoubtView({ doubt, answer, full }: { doubt: Results["doubts"][number]; answer: Answer; full: boolean }) {
  const [open, setOpen] = useState(false);
  const set = useScreen((screen) => screen.set);
  const listed = full ? listedIn(doubt, answer) : [];
  return (
    <div className={`doubt ${doubt.grade}`}>
      <i aria-hidden="true">{doubt.grade === "note" ? "·" : "?"}</i>
      <span>
        <span className="sr">{doubt.grade}: </span>
        {doubt.text}{" "}
        {listed.length > 0 && (
          <button className="linkish" aria-expanded={open} onClick={() => setOpen(!open)}>
            {open ? "Hide them" : "Show them"}
          </button>
        )}
        {open && (
          <ul className="doubted">
            {listed.slice(0, MOST).map(({ name, note, at }, i) => (
              <li key={i}>
                {at ? (
                  <button className="linkish" onClick={() => set({ goTo: at })}>
                    {name}
                  </button>
                ) : (
                  name
                )}{" "}
                <span className="faint">{note}</span>
              </li>
            ))}
            {listed.length > MOST && <li>and {figure(listed.length - MOST)} more</li>}
          </ul>
        )}
      </span>
    </div>
  );
}

/** What a doubt is about: the spots it names itself, else places or trips of the answer. */
export function listedIn({ code, where }: Results["doubts"][number], answer: Answer): Listed[] {
  if (where) return where.map(({ name, note, at }) => ({ name, note, at: at as [number, number] }));
  if (code === "trips-unreachable") {
    const lost = (answer.result.unreachable as FeatureCollection | undefined)?.features ?? [];
    return lost.map(({ properties }) => ({ name: `${String(properties?.origin)} to ${String(properties?.destination)}`, note: String(properties?.reason), at: null }));
  }
  if (!code.startsWith("places-")) return [];
  const wanted = code.slice("places-".length).replaceAll("-", " ");
  const places = ((answer.result.places ?? answer.result.events) as FeatureCollection | undefined)?.features ?? [];
  return places.flatMap(({ properties, geometry }): Listed[] => {
    const away = properties?.street_distance_m as number | null;
    const used = properties?.status === "on street";
    const beside = properties?.beside as string | null | undefined;
    const meant = wanted === "on one way street" ? !!beside : wanted === "far from street" ? used && (away ?? 0) > FAR_M : properties?.status === wanted;
    if (!meant) return [];
    const note = wanted === "on one way street" ? `also on ${beside}` : away === null ? "" : `${figure(away)} m from a street`;
    return [{ name: String(properties?.name), note, at: geometry.type === "Point" ? (geometry.coordinates as [number, number]) : null }];
  });
}
