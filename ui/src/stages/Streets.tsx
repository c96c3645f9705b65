/** Stage Streets: the build report, and what each mode leaves out of it. */
import type { BuildReport, Overview } from "../api/own";
import { clock, figure, km } from "../common/format";
import { go } from "../state/store";

export function Streets({ overview }: { overview: Overview }) {
  const { build, formerBuild, modes } = overview;
  if (!build) {
    return (
      <>
        <h1>No streets yet</h1>
        <p className="prose">
          Streets are built when an extract comes in.{" "}
          <button className="linkish" onClick={() => go(overview.id, "sources")}>
            Bring one in
          </button>
        </p>
      </>
    );
  }
  return (
    <>
      <h1>The street graph</h1>
      <p className="dateline">
        Built at {clock(build.built)} from {build.source}
      </p>
      <div className="report-figures">
        <Figure label="Nodes" value={figure(build.nodes)} />
        <Figure label="Links" value={figure(build.links)} />
        <Figure label="Street length" value={figure(build.length_m / 1000)} unit="km" />
        <Figure label="Border nodes" value={figure(build.border_nodes)} />
      </div>
      <p className="prose">
        Lengths are geodesic metres; areas are measured in a metric plane centred on the study. Streets join only where they share a node: a crossing
        without one, as under a bridge, stays a crossing.
      </p>
      {formerBuild && <p className="notice">{compared(build, formerBuild)}</p>}
      <h2>Largest connected part, by mode</h2>
      <table className="plain">
        <thead>
          <tr>
            <th>Mode</th>
            <th className="n">Usable</th>
            <th className="n">Parts</th>
            <th className="n">Cut off, left out</th>
          </tr>
        </thead>
        <tbody>
          {modes.map((mode) => (
            <tr key={mode.id}>
              <td>{mode.title}</td>
              {mode.problem ? (
                <td colSpan={3} className="n">
                  no usable street
                </td>
              ) : (
                <>
                  <td className="n">{figure(mode.usable_km, 1)} km</td>
                  <td className="n">{figure(mode.parts.count)}</td>
                  <td className="n">{figure(mode.parts.left_out_km, 1)} km</td>
                </>
              )}
            </tr>
          ))}
        </tbody>
      </table>
      <p className="notice">
        A mode keeps the largest part in which every place can reach every other, one-way streets counted. Places on other parts are named in the
        doubts of an answer.
      </p>
      {build.lines && Object.keys(build.lines).length > 0 && <FromLines lines={build.lines} />}
      <h2>Left out or cut</h2>
      <table className="plain">
        <tbody>
          <Line label="Ways that are no street" value={figure(build.ways_read - build.streets_read)} />
          <Line label="Streets outside the study area" value={figure(build.ways_outside)} />
          <Line label="References to nodes the extract lacks" value={figure(build.references_missing)} />
          <Line label="Border nodes, where a street is cut" value={figure(build.border_nodes)} />
          <Line label="Links of no length, dropped" value={figure(build.zero_length_dropped)} />
        </tbody>
      </table>
    </>
  );
}

/** What was done to make plain lines meet, and what was assumed where their fields say nothing. */
function FromLines({ lines }: { lines: Record<string, number> }) {
  const rows: [string, string][] = [
    ["Crossings at one level, broken", "crossings_broken"],
    ["Crossings kept apart by level", "kept_apart"],
    ["Ends that meet a line, broken there", "ends_on_lines"],
    [`Ends joined within ${figure(lines.tolerance_m ?? 0, 1)} m`, "ends_joined"],
    ["Lines whose class is assumed", "without_known_class"],
    ["Lines without a speed", "without_speed"],
    ["Lines whose direction is not understood, open both ways", "direction_not_understood"],
  ];
  return (
    <>
      <h2>From {figure(lines.lines ?? 0)} lines</h2>
      <table className="plain">
        <tbody>
          {rows.map(([label, key]) => (
            <Line key={key} label={label} value={figure(lines[key] ?? 0)} />
          ))}
        </tbody>
      </table>
    </>
  );
}

function Figure({ label, value, unit }: { label: string; value: string; unit?: string }) {
  return (
    <div className="figure">
      <b>
        {value}
        {unit && <small>{unit}</small>}
      </b>
      <span>{label}</span>
    </div>
  );
}

function Line({ label, value }: { label: string; value: string }) {
  return (
    <tr>
      <td>{label}</td>
      <td className="n">{value}</td>
    </tr>
  );
}

function compared(build: BuildReport, former: BuildReport): string {
  const signed = (value: number) => (value > 0 ? `+${figure(value)}` : figure(value));
  return `Against the build of ${clock(former.built)}: ${signed(build.links - former.links)} links, ${signed(build.nodes - former.nodes)} nodes, ${km(build.length_m - former.length_m)} of street.`;
}
