/** Stage Streets: the build report, connected parts, connectors, and what is lettered on the map. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { BuildReport, Overview } from "../../api/studies";
import { capital, clock, figure, words } from "../../common/format";
import { Word } from "../../controls/inline";
import { go, useScreen } from "../../state/screen";
import { Connectors } from "./Connectors";
import { Editing } from "./Editing";
import { Health } from "./Health";
import { Parts } from "./Components";

export function Streets({ overview }: { overview: Overview }) {
  const { build, formerBuild } = overview;
  const { label, letter, unhide } = useScreen("label", "letter", "unhide");
  if (!build) {
    return (
      <>
        <h1><Trans>No streets yet</Trans></h1>
        <p className="prose">
          <Trans>
            Streets are built when an extract comes in.{" "}
            <button className="linkish" onClick={() => go(overview.id, "sources")}>
              Bring one in
            </button>
          </Trans>
        </p>
      </>
    );
  }
  return (
    <>
      <h1><Trans>The street graph</Trans></h1>
      <p className="dateline">
        <Trans>Built at {clock(build.built)} from {build.source}</Trans>
      </p>
      <div className="report-figures">
        <Figure label={t`Nodes`} value={figure(build.nodes)} />
        <Figure label={t`Links`} value={figure(build.links)} />
        {overview.drawn ? <Figure label={t`Total weight`} value={figure(build.length_m, 1)} /> : <Figure label={t`Street length`} value={figure(build.length_m / 1000)} unit="km" />}
        <Figure label={t`Border nodes`} value={figure(build.border_nodes)} />
      </div>
      {overview.drawn ? (
        <p className="prose"><Trans>A drawing without geography: nodes lie where they were drawn, and the length of each link is the weight that was given. Time and place mean nothing here.</Trans></p>
      ) : (
        <p className="prose">
          <Trans>
            Lengths are geodesic metres; areas are measured in a metric plane centred on the study. Streets join only where they share a node: a crossing
            without one, as under a bridge, stays a crossing.
          </Trans>
        </p>
      )}
      <p className="question">
        <Trans>
          Letter each link with{" "}
          <Word
            kind="way"
            label={t`Lettering of links`}
            value={label ?? (overview.drawn ? "length" : "link_id")}
            options={overview.streetFields.map((field) => [field, field === "link_id" ? t`its number` : t`its ${words(field)}`])}
            onChange={(field) => {
              letter(field);
              unhide("link-numbers");
            }}
          />
          .
        </Trans>
      </p>
      {!overview.drawn && <Health overview={overview} />}
      {!overview.drawn && <Editing overview={overview} />}
      {formerBuild && <Compared build={build} former={formerBuild} />}
      <Parts overview={overview} />
      {!overview.drawn && <Connectors overview={overview} />}
      {build.lines && Object.keys(build.lines).length > 0 && <FromLines lines={build.lines} />}
      {(Object.keys(build.barriers ?? {}).length > 0 || build.restrictions > 0) && (
        <>
          <h2><Trans>On nodes and turns</Trans></h2>
          <table className="plain">
            <tbody>
              {Object.entries(build.barriers).map(([kind, count]) => (
                <Line key={kind} label={capital(words(kind))} value={figure(count)} />
              ))}
              <Line label={t`Turn restrictions`} value={figure(build.restrictions)} />
              {build.restrictions_not_placed > 0 && <Line label={t`Turn restrictions whose members do not fit together, left out`} value={figure(build.restrictions_not_placed)} />}
            </tbody>
          </table>
        </>
      )}
      <h2><Trans>Left out, cut or merged</Trans></h2>
      <table className="plain">
        <tbody>
          <Line label={t`Ways that are no street`} value={figure(build.ways_read - build.streets_read)} />
          {Object.entries(build.classes_left_out ?? {}).map(([name, count]) => (
            <Line key={name} label={t`${capital(words(name))}, left out by choice`} value={figure(count)} />
          ))}
          <Line label={t`Streets outside the study area`} value={figure(build.ways_outside)} />
          <Line label={t`References to nodes the extract lacks`} value={figure(build.references_missing)} />
          <Line label={t`Border nodes, where a street is cut`} value={figure(build.border_nodes)} />
          <Line label={t`Links of no length, dropped`} value={figure(build.zero_length_dropped)} />
          <Line label={t`Nodes where nothing changes, merged away`} value={figure(build.nodes_merged ?? 0)} />
        </tbody>
      </table>
    </>
  );
}

/** What was done to make plain lines meet, and what was assumed where their fields say nothing. */
function FromLines({ lines }: { lines: Record<string, number> }) {
  const rows: [string, string][] = [
    [t`Crossings at one level, broken`, "crossings_broken"],
    [t`Crossings kept apart by level`, "kept_apart"],
    [t`Ends that meet a line, broken there`, "ends_on_lines"],
    [t`Ends joined within ${figure(lines.tolerance_m ?? 0, 1)} m`, "ends_joined"],
    [t`Lines whose class is assumed`, "without_known_class"],
    [t`Lines without a speed`, "without_speed"],
    [t`Lines whose direction is not understood, open both ways`, "direction_not_understood"],
  ];
  return (
    <>
      <h2><Trans>From {figure(lines.lines ?? 0)} lines</Trans></h2>
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

/** Figures against the build before. */
function Compared({ build, former }: { build: BuildReport; former: BuildReport }) {
  const rows: [string, number, number, number][] = [
    [t`Nodes`, build.nodes, former.nodes, 0],
    [t`Links`, build.links, former.links, 0],
    [t`Street length, km`, build.length_m / 1000, former.length_m / 1000, 1],
    [t`Border nodes`, build.border_nodes, former.border_nodes, 0],
    [t`Share with a posted limit, %`, build.share_with_maxspeed * 100, former.share_with_maxspeed * 100, 1],
    [t`Share with a name, %`, build.share_named * 100, former.share_named * 100, 1],
    [t`Share that is one-way, %`, build.share_oneway * 100, former.share_oneway * 100, 1],
  ];
  const signed = (value: number, digits: number) => (Math.abs(value) < 0.5 * 10 ** -digits ? "same" : (value > 0 ? "+" : "") + figure(value, digits));
  return (
    <>
      <h2><Trans>Against the build of {clock(former.built)}</Trans></h2>
      <table className="plain">
        <thead>
          <tr>
            <th />
            <th className="n"><Trans>Now</Trans></th>
            <th className="n"><Trans>Before</Trans></th>
            <th className="n"><Trans>Change</Trans></th>
          </tr>
        </thead>
        <tbody>
          {rows.map(([name, now, before, digits]) => (
            <tr key={name}>
              <td>{name}</td>
              <td className="n">{figure(now, digits)}</td>
              <td className="n">{figure(before, digits)}</td>
              <td className="n">{signed(now - before, digits)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
