/** Slope, waiting, turning, the vehicle: sentences with numbers that are changed where they stand. */
import type { DelaysDocument, ModeDocument } from "../../api/modes";
import type { ModeInfo } from "../../api/studies";
import { figure } from "../../common/format";
import { Committed, Word } from "../../controls/inline";

type Props = { info: ModeInfo; put: (more: Partial<ModeDocument>) => void };

export function ModeDelays({ info, put }: Props) {
  const mode = info.document;
  const seconds = (key: keyof DelaysDocument, label: string) => (
    <Committed kind="amount" label={`${label}, seconds`} value={String(mode.delays[key])} onCommit={(text) => put({ delays: { ...mode.delays, [key]: Number(text) } })} />
  );
  return (
    <>
      <h2>Waiting and turning</h2>
      <p className="sentence">
        Lost are {seconds("signals_s", "At signals")} s at signals, {seconds("crossing_s", "At crossings")} s at crossings without, {seconds("barrier_s", "At gates")} s at gates,{" "}
        {seconds("ferry_s", "For a ferry")} s waiting for a ferry. A turn costs {seconds("left_s", "Left turn")} s to the left, {seconds("right_s", "Right turn")} s to the right,{" "}
        {seconds("back_s", "Turning back")} s back, and giving way to a main street {seconds("give_way_s", "Giving way")} s. Each trip begins with {seconds("start_s", "At the start")} s and ends with{" "}
        {seconds("end_s", "At the end")} s.
      </p>
      {(info.turns_barred ?? 0) > 0 && <p className="notice">{figure(info.turns_barred)} turns are barred by turn restrictions.</p>}
      <h2>Slope</h2>
      <Slope info={info} put={put} />
      {mode.reads_maxspeed && <Vehicle info={info} put={put} />}
    </>
  );
}

function Slope({ info, put }: Props) {
  const { slope } = info.document;
  const change = (more: Partial<typeof slope>) => put({ slope: { ...slope, ...more } });
  const percent = slope.limit === 0 ? "" : String(Math.round(slope.limit * 1000) / 10);
  return (
    <>
      <p className="sentence">
        Slope{" "}
        <Word
          kind="way"
          label="Slope"
          value={slope.by}
          options={[
            ["none", "does not count"],
            ["hiking", "counts by Tobler's hiking function"],
            ["power", "counts for a rider of constant power"],
          ]}
          onChange={(by) => change({ by: by as typeof slope.by })}
        />
        {slope.by === "power" && (
          <>
            {" "}
            of <Committed kind="amount" label="Power in watts" value={String(slope.power_w)} onCommit={(text) => change({ power_w: Number(text) })} /> W who weighs{" "}
            <Committed kind="amount" label="Mass in kg" value={String(slope.mass_kg)} onCommit={(text) => change({ mass_kg: Number(text) })} /> kg with the bicycle
          </>
        )}
        ; above <Committed kind="amount" label="Steepest slope in percent" value={percent} placeholder="no limit" onCommit={(text) => change({ limit: Number(text || 0) / 100 })} /> % a street is not used.
      </p>
      {!info.heights && (slope.by !== "none" || slope.limit > 0) && <p className="notice">The study has no heights yet: bring in an elevation raster at stage Sources.</p>}
      {(info.steep_km ?? 0) > 0 && <p className="notice">{figure(info.steep_km, 1)} km are too steep.</p>}
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
      <h2>Vehicle</h2>
      <p className="sentence">
        It is {size("height_m", "Height in metres")} m high, {size("width_m", "Width in metres")} m wide and weighs {size("weight_t", "Weight in tonnes")} t; streets with a lower limit are not used.
      </p>
      {(info.too_big_km ?? 0) > 0 && <p className="notice">{figure(info.too_big_km, 1)} km are too low, narrow or weak for it.</p>}
    </>
  );
}
