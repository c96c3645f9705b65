/** Acts of two clicks on the map: a junction or barrier is moved, streets are joined, a turn is barred or allowed. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Button } from "@mui/material";
import { useEffect, useState } from "react";
import { ofLinks, ofNode, type EditFeature, type Position } from "../../api/edits";
import type { Overview, Street } from "../../api/studies";
import { Word } from "../../controls/inline";
import { useEditing } from "../../state/editing";
import { screenNow, useScreen } from "../../state/screen";
import type { Aimed, TwoClickAct } from "../../state/slices/edits";

const acts = (): [TwoClickAct, string][] => [
  ["move", t`move a junction`],
  ["join", t`join two streets`],
  ["bar", t`bar or allow a turn`],
  ["barrier", t`move a barrier`],
];

/** What the next click is for. */
export function awaited(act: TwoClickAct, first: Aimed | null): string {
  const words: Record<TwoClickAct, [string, string]> = {
    move: [t`Click the junction that is to move`, t`Click where it is to stand`],
    join: [t`Click the street whose end is to be led`, t`Click where it is to meet the other street`],
    bar: [t`Click the street one comes from`, t`Click the street one would turn into`],
    barrier: [t`Click the barrier that is to move`, t`Click the place on a street where it is to stand`],
  };
  return words[act][first ? 1 : 0];
}

export function TwoClicks({ overview }: { overview: Overview }) {
  const { aim, setAim, tell } = useScreen("aim", "setAim", "tell");
  const { apply } = useEditing(overview);
  const [act, setAct] = useState<TwoClickAct>("move");
  useEffect(() => {
    if (!aim) return;
    const press = (event: KeyboardEvent) => {
      if (event.key !== "Escape") return;
      event.stopImmediatePropagation();
      setAim(null);
    };
    window.addEventListener("keydown", press, true);
    return () => window.removeEventListener("keydown", press, true);
  }, [aim, setAim]);
  return (
    <>
      <p className="question">
        <Trans>
          With two clicks on the map, <Word kind="way" label={t`What two clicks do`} value={act} options={acts()} onChange={(value) => setAct(value as TwoClickAct)} />.
        </Trans>
      </p>
      <div className="block-tools">
        {aim ? (
          <>
            <span role="status">{awaited(aim.act, aim.first)}</span>
            <Button size="small" onClick={() => setAim(null)}><Trans>Give up</Trans></Button>
          </>
        ) : (
          <Button size="small" onClick={() => setAim({ act, first: null })}><Trans>Begin</Trans></Button>
        )}
      </div>
      <Acting
        onDone={(edits, said) => {
          setAim(null);
          void apply(edits, said);
        }}
        onProblem={(why) => {
          setAim(aim ? { ...aim, first: null } : null);
          tell(why);
        }}
      />
    </>
  );
}

/** Listens for the second click, which the map tells by way of the screen. */
function Acting({ onDone, onProblem }: { onDone: (edits: EditFeature[], said: string) => void; onProblem: (why: string) => void }) {
  const { aimed, aim } = useScreen("aimed", "aim");
  useEffect(() => {
    if (!aimed || !aim) return;
    screenNow().takeAimed();
    if (!aim.first) {
      const why = unfit(aim.act, aimed);
      if (why) return onProblem(why);
      return screenNow().setAim({ ...aim, first: aimed });
    }
    const outcome = editsOf(aim.act, aim.first, aimed);
    if (typeof outcome === "string") return onProblem(outcome);
    onDone(...outcome);
  });
  return null;
}

/** The end of a street that a click is on, the nearer one; null where both are further than its reach. */
export function endAt({ street, at, reach }: Aimed): Street["ends"][number] | null {
  const shrink = Math.cos((at[1] * Math.PI) / 180);
  const metres = ({ lon, lat }: { lon: number; lat: number }) => Math.hypot((lon - at[0]) * shrink, lat - at[1]) * 111_195;
  const [nearest] = [...street.ends].sort((a, b) => metres(a) - metres(b));
  return nearest && metres(nearest) <= reach ? nearest : null;
}

/** The point of a street's line nearest to a place. */
export function footOn({ line }: Street, [lng, lat]: Position): Position {
  const shrink = Math.cos((lat * Math.PI) / 180);
  let best = Infinity;
  let foot: Position = [lng, lat];
  line.coordinates.slice(1).forEach(([x1, y1], i) => {
    const [x0, y0] = line.coordinates[i] as Position;
    const [ax, ay] = [(x0 - lng) * shrink, y0 - lat];
    const [ux, uy] = [(x1 - x0) * shrink, y1 - y0];
    const share = Math.min(Math.max(-(ax * ux + ay * uy) / Math.max(ux * ux + uy * uy, 1e-24), 0), 1);
    const away = Math.hypot(ax + share * ux, ay + share * uy);
    if (away < best) [best, foot] = [away, [x0 + share * (x1 - x0), y0 + share * (y1 - y0)]];
  });
  return [round(foot[0]), round(foot[1])];
}

const round = (degrees: number) => Math.round(degrees * 1e7) / 1e7;

/** Why a first click is no beginning of an act. */
function unfit(act: TwoClickAct, aimed: Aimed): string | null {
  const end = endAt(aimed);
  if (act === "move" && !end) return t`No junction is there: click nearer to one.`;
  if (act === "barrier" && !end?.tags.barrier) return t`No barrier is there: click nearer to one.`;
  return null;
}

/** The edits of an act whose two places are known, and what is said of them; or why it cannot be done. */
export function editsOf(act: TwoClickAct, first: Aimed, second: Aimed): [EditFeature[], string] | string {
  const end = endAt(first);
  const [here, there] = [first.street, second.street];
  if (act === "move" && end) return [[ofNode("move", end.node_id, { place: [round(second.at[0]), round(second.at[1])] })], t`The junction is moved.`];
  if (act === "join") {
    if (here.link_id === there.link_id) return t`Click another street.`;
    const meets = endAt(second);
    return [[ofLinks("join", [here.link_id, there.link_id], undefined, meets ? [meets.lon, meets.lat] : footOn(there, second.at))], t`The streets meet.`];
  }
  if (act === "barrier" && end) {
    const without = Object.fromEntries(Object.keys(end.tags).map((key) => [key, null]));
    return [[ofNode("node", end.node_id, { tags: without }), ofLinks("split", [there.link_id], end.tags, footOn(there, second.at))], t`The barrier is moved.`];
  }
  const via = here.ends.find(({ node_id }) => there.ends.some((other) => other.node_id === node_id));
  if (act !== "bar" || !via) return t`The two streets do not meet: click two that do.`;
  const links = [here.link_id, there.link_id];
  const barred = here.turns.some(({ node, to, kind }) => node === via.node_id && to === there.link_id && kind.startsWith("no_"));
  return barred ? [[ofNode("allow", via.node_id, { links })], t`One may turn there again.`] : [[ofNode("restrict", via.node_id, { links })], t`One may not turn there.`];
}
