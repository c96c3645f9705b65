/** Slope, waiting, turning, the vehicle: sentences with numbers that are changed where they stand. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { DelaysDocument, ModeDocument } from "../../api/modes";
import type { ModeInfo } from "../../api/studies";
import { figure } from "../../common/format";
import { Committed, Word } from "../../controls/inline";

type Props = { info: ModeInfo; put: (more: Partial<ModeDocument>) => void };

export function ModeDelays({ info, put }: Props) {
  const mode = info.document;
  const seconds = (key: keyof DelaysDocument, label: string) => (
    <Committed kind="amount" label={t`${label}, seconds`} value={String(mode.delays[key])} onCommit={(text) => put({ delays: { ...mode.delays, [key]: Number(text) } })} />
  );
  return (
    <>
      <h2><Trans>Waiting and turning</Trans></h2>
      <p className="sentence">
        <Trans>
          Lost are {seconds("signals_s", t`At signals`)} s at signals, {seconds("crossing_s", t`At crossings`)} s at crossings without, {seconds("barrier_s", t`At gates`)} s at gates,{" "}
          {seconds("ferry_s", t`For a ferry`)} s waiting for a ferry. A turn costs {seconds("left_s", t`Left turn`)} s to the left, {seconds("right_s", t`Right turn`)} s to the right,{" "}
          {seconds("back_s", t`Turning back`)} s back, and giving way to a main street {seconds("give_way_s", t`Giving way`)} s. Each trip begins with {seconds("start_s", t`At the start`)} s and ends with{" "}
          {seconds("end_s", t`At the end`)} s.
        </Trans>
      </p>
      {(info.turns_barred ?? 0) > 0 && <p className="notice"><Trans>{figure(info.turns_barred)} turns are barred by turn restrictions.</Trans></p>}
      <h2><Trans>Slope</Trans></h2>
      <Slope info={info} put={put} />
      {mode.reads_maxspeed && <Vehicle info={info} put={put} />}
    </>
  );
}

function Slope({ info, put }: Props) {
  const { slope } = info.document;
  const change = (more: Partial<typeof slope>) => put({ slope: { ...slope, ...more } });
  const percent = slope.limit === 0 ? "" : String(Math.round(slope.limit * 1000) / 10);
  const way = (
    <Word
      kind="way"
      label={t`Slope`}
      value={slope.by}
      options={[
        ["none", t`does not count`],
        ["hiking", t`counts by Tobler's hiking function`],
        ["power", t`counts for a rider of constant power`],
      ]}
      onChange={(by) => change({ by: by as typeof slope.by })}
    />
  );
  const power = <Committed kind="amount" label={t`Power in watts`} value={String(slope.power_w)} onCommit={(text) => change({ power_w: Number(text) })} />;
  const mass = <Committed kind="amount" label={t`Mass in kg`} value={String(slope.mass_kg)} onCommit={(text) => change({ mass_kg: Number(text) })} />;
  const limit = <Committed kind="amount" label={t`Steepest slope in percent`} value={percent} placeholder={t`no limit`} onCommit={(text) => change({ limit: Number(text || 0) / 100 })} />;
  return (
    <>
      <p className="sentence">
        {slope.by === "power" ? (
          <Trans>
            Slope {way} of {power} W who weighs {mass} kg with the bicycle; above {limit} % a street is not used.
          </Trans>
        ) : (
          <Trans>
            Slope {way}; above {limit} % a street is not used.
          </Trans>
        )}
      </p>
      {!info.heights && (slope.by !== "none" || slope.limit > 0) && <p className="notice"><Trans>The study has no heights yet: bring in an elevation raster at stage Sources.</Trans></p>}
      {(info.steep_km ?? 0) > 0 && <p className="notice"><Trans>{figure(info.steep_km, 1)} km are too steep.</Trans></p>}
    </>
  );
}

function Vehicle({ info, put }: Props) {
  const { vehicle } = info.document;
  const size = (key: keyof typeof vehicle, label: string) => (
    <Committed kind="amount" label={label} value={vehicle[key] === 0 ? "" : String(vehicle[key])} placeholder="any" onCommit={(text) => put({ vehicle: { ...vehicle, [key]: Number(text || 0) } })} />
  );
  return (
    <>
      <h2><Trans>Vehicle</Trans></h2>
      <p className="sentence">
        <Trans>It is {size("height_m", t`Height in metres`)} m high, {size("width_m", t`Width in metres`)} m wide and weighs {size("weight_t", t`Weight in tonnes`)} t; streets with a lower limit are not used.</Trans>
      </p>
      {(info.too_big_km ?? 0) > 0 && <p className="notice"><Trans>{figure(info.too_big_km, 1)} km are too low, narrow or weak for it.</Trans></p>}
    </>
  );
}
