/** Is this mode believable here? Where speeds come from, how much hangs together, which posted limits look odd. */
import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { ModeInfo } from "../../api/studies";
import { figure, words } from "../../common/format";

const INKS = ["var(--ink)", "var(--ink-3)", "var(--warn)", "var(--thread)"];

export function Plausible({ info, show }: { info: ModeInfo; show: (at: [number, number]) => void }) {
  const known = info.speed_sources.map((one, i) => ({ ...one, ink: INKS[i] })).filter(({ km }) => km > 0);
  const whole = known.reduce((sum, { km }) => sum + km, 0);
  const joined = (info.parts.kept_km / Math.max(info.parts.kept_km + info.parts.left_out_km, 1e-9)) * 100;
  const odd = info.odd ?? [];
  return (
    <div className="plausible">
      <div className="strip" role="img" aria-label={t`Speeds by source: ${known.map(({ source, km }) => `${source} ${figure((100 * km) / whole)}%`).join(", ")}`}>
        {known.map(({ source, km, ink }) => (
          <i key={source} style={{ width: `${(100 * km) / whole}%`, background: ink }} />
        ))}
      </div>
      <p>
        {known.map(({ source, km, ink }) => (
          <span key={source}>
            <i style={{ background: ink }} />
            {source} {(100 * km) / whole < 0.5 ? t`under 1` : figure((100 * km) / whole)}%
          </span>
        ))}
      </p>
      <p>
        <Trans>
          {figure(joined, joined > 99 ? 2 : 1)}% of usable streets are connected. {(info.ends_only_km ?? 0) > 0 && t`${figure(info.ends_only_km, 1)} km serve only trips that begin or end there.`}{" "}
          {odd.length === 0 && t`No posted limit is far from what is usual.`}
        </Trans>
      </p>
      {odd.length > 0 && (
        <details>
          <summary>
            {plural(odd.length, {
              one: "# street with a posted limit far from what is usual",
              12: "# streets and more with a posted limit far from what is usual",
              other: "# streets with a posted limit far from what is usual",
            })}
          </summary>
          <ul>
            {odd.map((one) => (
              <li key={one.link_id}>
                <Trans>
                  <button className="linkish" onClick={() => show(one.at)}>
                    {one.name ?? t`Unnamed ${words(one.highway)}`}
                  </button>{" "}
                  {figure(one.km, 1)} km at {figure(one.speed_kmh)} km/h, usual are {figure(one.usual_kmh)}
                </Trans>
              </li>
            ))}
          </ul>
        </details>
      )}
    </div>
  );
}
