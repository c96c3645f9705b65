/** How a mode rides by public transport: a sentence whose words are changed where they stand. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { ModeDocument, TransitRules } from "../../api/modes";
import type { Overview } from "../../api/studies";
import { Committed, Word } from "../../controls/inline";

type Props = { overview: Overview; mode: ModeDocument; put: (more: Partial<ModeDocument>) => void };

/** Nothing for a mode that stays on the streets. */
export function ModeRides({ overview, mode, put }: Props) {
  const { transit } = mode;
  if (!transit) return null;
  const set = (part: Partial<TransitRules>) => put({ transit: { ...transit, ...part } });
  const number = (text: string, with_: (value: number) => Partial<TransitRules>) => {
    const value = Number(text.replace(",", "."));
    if (text && Number.isFinite(value)) set(with_(value));
  };
  const others = overview.modes.filter(({ id, document }) => id !== mode.id && !document.transit).map(({ id, title }): [string, string] => [id, t`on foot, or by ${title}`]);
  const parking = overview.layers.filter(({ role, geometry }) => role === "places" && geometry === "POINT").map(({ id, title }): [string, string] => [id, t`at one of ${title}`]);
  const way = <Word kind="mode" label={t`Way to the first stop`} value={transit.first_by} options={[["", t`on foot`], ...others]} onChange={(first_by) => set({ first_by })} />;
  return (
    <>
      <h2><Trans>By public transport</Trans></h2>
      <p className="sentence">
        <Trans>
          It boards with <Committed kind="amount" label={t`Seconds to spare`} value={String(transit.slack_s)} onCommit={(text) => number(text, (slack_s) => ({ slack_s }))} /> s to spare. Lines are used where{" "}
          <Committed key={`r${transit.routes}`} kind="way" label={t`Lines that are used`} value={transit.routes} placeholder={t`all of them`} onCommit={(routes) => set({ routes })} />, stops where{" "}
          <Committed key={`s${transit.stops}`} kind="place" label={t`Stops that are used`} value={transit.stops} placeholder={t`all of them`} onCommit={(stops) => set({ stops })} />, up to{" "}
          <Committed kind="amount" label={t`Metres between stop and street`} value={String(transit.stop_m)} onCommit={(text) => number(text, (stop_m) => ({ stop_m }))} /> m from a street.
        </Trans>{" "}
        <Word kind="way" label={t`Wheelchair`} value={transit.on_wheels ? "yes" : "no"} options={[["no", t`Steps in stations may be used`], ["yes", t`Only what a wheelchair can use`]]} onChange={(value) => set({ on_wheels: value === "yes" })} />,{" "}
        <Word kind="way" label={t`Bicycle on board`} value={transit.with_bicycle ? "yes" : "no"} options={[["no", t`without a bicycle on board`], ["yes", t`with a bicycle on board`]]} onChange={(value) => set({ with_bicycle: value === "yes" })} />.
      </p>
      <p className="sentence">
        {transit.first_by ? (
          <Trans>
            To the first stop one comes {way} for <Committed kind="amount" label={t`Minutes to the first stop`} value={String(transit.first_min)} onCommit={(text) => number(text, (first_min) => ({ first_min }))} /> min at most, and leaves the vehicle{" "}
            <Word kind="place" label={t`Where the vehicle is left`} value={transit.park_at} options={[["", t`at the stop`], ...parking]} onChange={(park_at) => set({ park_at })} />.
          </Trans>
        ) : (
          <Trans>To the first stop one comes {way}.</Trans>
        )}
      </p>
      {overview.timetables.length === 0 && <p className="notice"><Trans>The study has no timetable yet: bring in a GTFS feed at stage Sources.</Trans></p>}
    </>
  );
}
