/** When a street is reached in the selected answer, from which place, and the way there; or why it is not reached. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQuery } from "@tanstack/react-query";
import type { Feature, FeatureCollection, Point } from "geojson";
import { useEffect } from "react";
import type { Inputs } from "../../api/inputs";
import { askOnce, type Street } from "../../api/studies";
import { duration, figure } from "../../common/format";
import { message } from "../../api/client";
import { type Answer } from "../../state/sheet";
import { useScreenValue } from "../../state/screen";
import { Term } from "./StreetCard";

type Pair = { origin: string; destination: string; origin_id: unknown; destination_id: unknown; duration_s: number; distance_m: number };
type Found = { pair: Pair; place: string; way: Feature | null } | null;

export function ArrivalThere({ study, answer, street }: { study: string; answer: Answer; street: Street }) {
  const showWay = useScreenValue((screen) => screen.showWay);
  const { places } = answer.inputs;
  const { data, error } = useQuery({
    queryKey: ["arrival", study, answer.made, street.link_id],
    queryFn: () => arrivalAt(study, answer, street),
    enabled: !!places,
    staleTime: Infinity,
    meta: { panel: "own" },
  });
  useEffect(() => {
    showWay(data?.way ?? null);
    return () => showWay(null);
  }, [data, showWay]);
  if (!places) return null;
  if (error) return <Term name={t`Arrival`}><Trans>not reached: {message(error)}</Trans></Term>;
  if (data === undefined) return <Term name={t`Arrival`}>…</Term>;
  if (data === null) return <Term name={t`Arrival`}><Trans>not reached: one-way streets, gaps or closures cut every way</Trans></Term>;
  const { place, pair } = data;
  const metres = figure(pair.distance_m);
  return (
    <Term name={t`Arrival`}>
      <b>{duration(pair.duration_s)}</b>{" "}
      {answer.inputs.direction === "to" ? t`to ${place}, ${metres} m; the way is on the map` : t`from ${place}, ${metres} m; the way is on the map`}
    </Term>
  );
}

/** The least time between the middle of a street and the nearest place of an answer, and the way. */
async function arrivalAt(study: string, answer: Answer, street: Street): Promise<Found> {
  const { places, mode, at, snap, closures, direction, measure } = answer.inputs;
  const line = street.line.coordinates;
  const middle: Point = { type: "Point", coordinates: line[Math.floor(line.length / 2)] ?? [0, 0] };
  const shared = given({ mode, at, snap, closures, measure: measure === "distance" ? "distance" : undefined });
  const towards = direction === "to";
  const { rows } = (await askOnce(study, "matrix", { ...shared, from: towards ? middle : places, to: towards ? places : middle })) as { rows: Pair[] };
  const field = measure === "distance" ? "distance_m" : "duration_s";
  const pair = rows.reduce<Pair | null>((best, row) => (best === null || row[field] < best[field] ? row : best), null);
  if (!pair) return null;
  const ident = towards ? pair.destination_id : pair.origin_id;
  const place = towards ? pair.destination : pair.origin;
  const spot = ((answer.result.places as FeatureCollection | undefined)?.features ?? []).find(({ properties }) => properties?.id === ident);
  if (!spot) return { pair, place, way: null };
  const ends = [spot, { type: "Feature", properties: {}, geometry: middle }];
  const route = await askOnce(study, "route", { ...shared, waypoints: { type: "FeatureCollection", features: towards ? ends.reverse() : ends } });
  return { pair, place, way: (route.routes as FeatureCollection).features[0] ?? null };
}

const given = (inputs: Inputs): Inputs => Object.fromEntries(Object.entries(inputs).filter(([, value]) => value !== undefined && value !== null));
