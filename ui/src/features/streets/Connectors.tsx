/** Zone centroids joined to the streets by connectors, and taken off again. */
import { t } from "@lingui/core/macro";
import { Plural, Trans } from "@lingui/react/macro";
import { Button } from "@mui/material";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { connectZones, disconnectZones, type Overview } from "../../api/studies";
import { figure } from "../../common/format";
import { Outcome } from "../../controls/Outcome";
import { useJob, Working } from "../../controls/Progress";
import { Amount, Word } from "../../controls/inline";
import { message } from "../../api/client";

const MIDDLE = "";
type Report = { centroids: number; connectors: number; mean_m: number; too_far: number; without_people: number };

export function Connectors({ overview }: { overview: Overview }) {
  const queries = useQueryClient();
  const zones = overview.layers.filter(({ role }) => role === "zones" || role === "places");
  const people: [string, string][] = [
    ...overview.rasters.filter(({ role }) => role === "population").map(({ id, title }): [string, string] => [JSON.stringify([id, null]), t`the mean place of people in ${title}`]),
    ...overview.layers
      .filter(({ role }) => role === "buildings" || role === "places")
      .flatMap(({ id, title, fields }) => numeric(fields).map((field): [string, string] => [JSON.stringify([id, field]), t`the mean place of ${field.replaceAll("_", " ")} in ${title.toLowerCase()}`])),
  ];
  const [layer, setLayer] = useState(zones.find(({ role }) => role === "zones")?.id ?? zones[0]?.id ?? "");
  const [nearest, setNearest] = useState("1");
  const [number, setNumber] = useState("");
  const [at, setAt] = useState(MIDDLE);
  const [state, run] = useJob();
  const [said, setSaid] = useState<string | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const there = overview.build?.links_by_class.connector ?? 0;
  const chosen = zones.find(({ id }) => id === layer);
  const numbers = Object.entries(chosen?.fields ?? {}).filter(([, type]) => type === "INTEGER").map(([name]) => name);

  const act = async (what: () => Promise<string>) => {
    setSaid(null);
    setProblem(null);
    try {
      setSaid(await what());
    } catch (error) {
      setProblem(message(error));
    }
    await queries.invalidateQueries();
  };
  const join = () =>
    act(async () => {
      const [source, field] = at === MIDDLE ? [null, null] : (JSON.parse(at) as [string, string | null]);
      const ended = await run(await connectZones(overview.id, { zones: layer, nearest: Number(nearest), number: number || null, people: source, people_field: field }));
      if (ended.status !== "successful") throw new Error(ended.problem?.detail ?? t`It was stopped. The streets are as they were.`);
      const report = ended.result?.report as Report;
      const far = report.too_far ? t`${figure(report.too_far)} lie too far from any street.` : "";
      const empty = report.without_people ? t`${figure(report.without_people)} have no people and are joined at their middle.` : "";
      const joined = t`${figure(report.centroids)} centroids are joined by ${figure(report.connectors)} connectors, ${figure(report.mean_m)} m long in the mean.`;
      return [joined, far, empty].filter(Boolean).join(" ");
    });
  return (
    <>
      <h2><Trans>Zone centroids</Trans></h2>
      {zones.length === 0 ? (
        <p className="notice"><Trans>Bring in zones to join their centroids to the streets.</Trans></p>
      ) : (
        <>
          <p className="question">
            <Trans>
              Join each of <Word kind="place" label={t`Zones to join`} value={layer} options={zones.map(({ id, title }) => [id, title.toLowerCase()])} onChange={setLayer} /> to its nearest{" "}
              <Amount label={t`Streets per zone`} value={nearest} onChange={setNearest} /> <Plural value={Number(nearest)} one="street" other="streets" /> from{" "}
              <Word kind="place" label={t`Where a zone is joined`} value={at} options={[[MIDDLE, t`its middle`], ...people]} onChange={setAt} />, numbered{" "}
              <Word kind="amount" label={t`Numbers of the zones`} value={number} options={[["", t`anew`], ...numbers.map((name): [string, string] => [name, t`by ${name}`])]} onChange={setNumber} />.
            </Trans>
          </p>
          {state && <Working state={state} />}
          <div className="block-tools">
            <Button size="small" disabled={state !== null || !layer} onClick={() => void join()}>
              {there ? t`Join them anew` : t`Join them`}
            </Button>
            {there > 0 && (
              <button className="linkish" disabled={state !== null} onClick={() => void act(async () => (await disconnectZones(overview.id), t`The connectors are gone; the streets are whole again.`))}>
                <Trans>Take the {figure(there)} connectors out</Trans>
              </button>
            )}
          </div>
          <Outcome said={said} problem={problem} />
        </>
      )}
    </>
  );
}

const numeric = (fields: Record<string, string>) => Object.entries(fields).filter(([, type]) => type === "INTEGER" || type === "REAL").map(([name]) => name);
