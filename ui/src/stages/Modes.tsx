/** Stage Modes: who moves, on which streets, how fast. What a mode may not use fades on the map. */
import type { ModeInfo, Overview } from "../api/own";
import { figure, words } from "../common/format";
import { useScreen } from "../state/store";

export function Modes({ overview }: { overview: Overview }) {
  const { mode, set } = useScreen();
  const shown = overview.modes.find(({ id }) => id === mode) ?? overview.modes[0];
  if (!shown) {
    return (
      <>
        <h1>Who moves, by which rules?</h1>
        <p className="notice">Modes read the streets. Bring in an extract first.</p>
      </>
    );
  }
  return (
    <>
      <h1>Who moves, by which rules?</h1>
      <div className="tabs" role="tablist" aria-label="Mode">
        {overview.modes.map(({ id, title }) => (
          <button key={id} role="tab" aria-selected={id === shown.id} onClick={() => set({ mode: id, street: null })}>
            {title}
          </button>
        ))}
      </div>
      {shown.problem ? <p className="problem">{shown.problem}</p> : <Rules mode={shown} />}
    </>
  );
}

function Rules({ mode }: { mode: ModeInfo }) {
  const known = mode.speed_sources.filter(({ km }) => km > 0);
  return (
    <>
      {mode.notes.map((note) => (
        <p className="prose" key={note}>
          {note}
        </p>
      ))}
      <div className="figures">
        <div className="figure">
          <b>
            {figure(mode.usable_km)}
            <small>km</small>
          </b>
          <span>of {figure(mode.total_km)} km may be used</span>
        </div>
        {known.map(({ source, km }) => (
          <div className="figure" key={source}>
            <b>
              {figure((100 * km) / mode.usable_km)}
              <small>%</small>
            </b>
            <span>speed from {source === "speed of its class" ? "the class of street" : `the ${source}`}</span>
          </div>
        ))}
      </div>
      <h2>Rules, by class of street</h2>
      <table className="plain">
        <thead>
          <tr>
            <th>Street</th>
            <th className="n">Length, km</th>
            <th className="n">Usable, km</th>
            <th className="n">One-way, km</th>
            <th className="n">Speed, km/h</th>
          </tr>
        </thead>
        <tbody>
          {mode.rules.map((rule) => (
            <tr key={rule.highway} className={rule.usable_km === 0 ? "quiet" : undefined}>
              <td>{words(rule.highway)}</td>
              <td className="n">{figure(rule.length_km, 1)}</td>
              <td className="n">{rule.usable_km === 0 ? "not used" : figure(rule.usable_km, 1)}</td>
              <td className="n">{rule.oneway_km === 0 ? "" : figure(rule.oneway_km, 1)}</td>
              <td className="n">{rule.usable_km === 0 ? "" : rule.speed_kmh === null ? "by tag" : figure(rule.speed_kmh, 1)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="notice">
        {mode.parts.left_out_links > 0 && `${figure(mode.parts.left_out_km, 1)} km in ${figure(mode.parts.count - 1)} cut-off parts are left out. `}
        Click a street on the map to see why it is used or not, and how fast.
      </p>
    </>
  );
}
