/** Edit the streets: where edits go, a new street drawn by a sentence, the street that was clicked, and the ledger of all steps. */
import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Button } from "@mui/material";
import { useEffect, useState } from "react";
import { newWhatIf, type Step } from "../../api/edits";
import { message } from "../../api/client";
import type { Overview } from "../../api/studies";
import { clock, figure, words } from "../../common/format";
import { Committed, Word } from "../../controls/inline";
import { useEditing, useLedger } from "../../state/editing";
import { screenNow, useScreen } from "../../state/screen";
import { useProcesses, useSheet, type QuestionBlock } from "../../state/sheet";
import { questionNames } from "../../state/blocks";
import { useQueryClient } from "@tanstack/react-query";
import { ChangeMany } from "./ChangeMany";
import { EditFiles } from "./EditFiles";
import { EditStreet } from "./EditStreet";
import { streetsAlong } from "./streetsAlong";
import { TwoClicks } from "./TwoClicks";
import { WhatIfs } from "./WhatIfs";

export function Editing({ overview }: { overview: Overview }) {
  return (
    <>
      <h2>
        <Trans>Edits</Trans>
      </h2>
      <Scope overview={overview} />
      <Draw overview={overview} />
      <TwoClicks overview={overview} />
      <EditStreet overview={overview} />
      <ChangeMany overview={overview} />
      <LedgerView overview={overview} />
      <EditFiles overview={overview} />
      <WhatIfs overview={overview} />
    </>
  );
}

const NEW = "+";

/** Whether edits change the streets or a what-if, and what is seen while one edits. */
function Scope({ overview }: { overview: Overview }) {
  const { scope, setScope, reachOf, showReachOf, tell } = useScreen("scope", "setScope", "reachOf", "showReachOf", "tell");
  const queries = useQueryClient();
  const [naming, setNaming] = useState(false);
  const { data: sheet } = useSheet(overview.id);
  const { data: processes } = useProcesses(overview.id);
  useEffect(() => {
    if (!scope) return;
    const hold = (event: KeyboardEvent) => {
      const field = event.target instanceof HTMLElement && /^(INPUT|TEXTAREA|SELECT)$/.test(event.target.tagName);
      if (!field && event.key === "b" && !event.ctrlKey && !event.metaKey && !event.altKey) screenNow().peek(event.type === "keydown");
    };
    const letGo = () => screenNow().peek(false);
    window.addEventListener("keydown", hold);
    window.addEventListener("keyup", hold);
    window.addEventListener("blur", letGo);
    return () => {
      window.removeEventListener("keydown", hold);
      window.removeEventListener("keyup", hold);
      window.removeEventListener("blur", letGo);
      letGo();
    };
  }, [scope]);
  const live = (sheet?.blocks ?? []).filter((block): block is QuestionBlock => block.kind === "question" && !!processes?.find(({ id }) => id === block.process)?.["x-awl"].live);
  const names = questionNames(sheet?.blocks ?? []);
  const make = (title: string) => {
    setNaming(false);
    if (!title) return;
    newWhatIf(overview.id, title).then(
      ({ id }) => {
        void queries.invalidateQueries({ queryKey: ["overview", overview.id] }).then(() => setScope(id));
        void queries.invalidateQueries({ queryKey: ["what-ifs", overview.id] });
      },
      (error: unknown) => tell(message(error)),
    );
  };
  return (
    <>
      <p className="question">
        <Trans>
          Edits change{" "}
          <Word
            kind="mode"
            label={t`What edits change`}
            value={scope ?? ""}
            options={[["", t`the streets themselves`], ...overview.whatIfs.map(({ id, title }): [string, string] => [id, t`only "${title}"`]), [NEW, t`a new what-if`]]}
            onChange={(value) => (value === NEW ? setNaming(true) : setScope(value || null))}
          />
          .
        </Trans>{" "}
        {live.length > 0 && (
          <Trans>
            The map shows{" "}
            <Word
              kind="way"
              label={t`What the map shows while streets are edited`}
              value={reachOf ?? ""}
              options={[["", t`the streets alone`], ...live.map(({ id, process }): [string, string] => [id, t`how far "${names[id] ?? process}" reaches`])]}
              onChange={(value) => showReachOf(value || null)}
            />
            .
          </Trans>
        )}
      </p>
      {naming && (
        <p className="question">
          <Trans>
            What if <Committed label={t`Title of the what-if`} value="" kind="place" placeholder={t`a footbridge were built`} onCommit={make} /> ?
          </Trans>
        </p>
      )}
    </>
  );
}

const CLASSES = ["residential", "footway", "path", "cycleway", "steps", "living_street", "service", "unclassified", "tertiary", "secondary", "primary", "track", "pedestrian"];
// eslint-disable-next-line lingui/no-unlocalized-strings -- names of keys
const KEYS = ["Enter", "Backspace", "Escape"];
const LEVELS: Record<string, Record<string, string>> = { ground: {}, bridge: { bridge: "yes", layer: "1" }, tunnel: { tunnel: "yes", layer: "-1" } };

/** A sentence says what is drawn; clicks say where. */
function Draw({ overview }: { overview: Overview }) {
  const { sketch, beginSketch, endSketch, takeCornerBack, tagSketch } = useScreen("sketch", "beginSketch", "endSketch", "takeCornerBack", "tagSketch");
  const { apply } = useEditing(overview);
  const [kind, setKind] = useState("residential");
  const [oneway, setOneway] = useState("");
  const [level, setLevel] = useState("ground");
  const [limit, setLimit] = useState("");
  const [name, setName] = useState("");
  const drawing = sketch?.of === "street";

  useEffect(() => {
    if (!drawing) return;
    const tags = { highway: kind, ...LEVELS[level], ...(oneway ? { oneway } : {}), ...(limit ? { maxspeed: limit } : {}), ...(name ? { name } : {}) };
    tagSketch(tags);
    const press = (event: KeyboardEvent) => {
      const field = event.target instanceof HTMLElement && /^(INPUT|TEXTAREA|SELECT)$/.test(event.target.tagName);
      if (field || !KEYS.includes(event.key)) return;
      event.preventDefault();
      event.stopImmediatePropagation();
      if (event.key === "Backspace") return takeCornerBack();
      const corners = screenNow().sketch?.corners ?? [];
      endSketch();
      if (event.key === "Enter" && corners.length > 1) void apply(streetsAlong(corners, tags), t`The street is drawn.`);
    };
    window.addEventListener("keydown", press, true);
    return () => window.removeEventListener("keydown", press, true);
  }, [drawing, kind, oneway, level, limit, name, apply, endSketch, takeCornerBack, tagSketch]);

  return (
    <>
      <p className="question">
        <Trans>
          Draw a <Word kind="way" label={t`Class of the new street`} value={kind} options={CLASSES.map((one) => [one, words(one)])} onChange={setKind} />,{" "}
          <Word kind="way" label={t`Direction of the new street`} value={oneway} options={[["", t`both ways`], ["yes", t`one-way as drawn`]]} onChange={setOneway} />,{" "}
          <Word kind="way" label={t`Level of the new street`} value={level} options={[["ground", t`at ground level`], ["bridge", t`on a bridge`], ["tunnel", t`in a tunnel`]]} onChange={setLevel} />,{" "}
          <Word kind="amount" label={t`Posted limit of the new street`} value={limit} options={[["", t`without a posted limit`], ...["10", "20", "30", "50", "70", "90"].map((kmh): [string, string] => [kmh, t`${kmh} km/h`])]} onChange={setLimit} />, called{" "}
          <Committed label={t`Name of the new street`} value={name} kind="place" placeholder={t`nothing`} onCommit={setName} />.
        </Trans>
      </p>
      <div className="block-tools">
        {drawing ? (
          <>
            <span className="faint"><Trans>Click corner after corner, or move the map by arrow keys and press Space; Enter ends, Backspace takes one back.</Trans></span>
            <Button size="small" onClick={endSketch}><Trans>Give up</Trans></Button>
          </>
        ) : (
          <Button size="small" onClick={() => beginSketch("street")}><Trans>Draw it on the map</Trans></Button>
        )}
      </div>
    </>
  );
}

/** Every step in order, the newest first, with undo and redo. */
function LedgerView({ overview }: { overview: Overview }) {
  const { data, error } = useLedger(overview);
  const { undo, redo } = useEditing(overview);
  const [undoable, redoable] = [data?.undo ?? 0, data?.redo ?? 0];
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      const field = event.target instanceof HTMLElement && /^(INPUT|TEXTAREA|SELECT)$/.test(event.target.tagName);
      const undoes = event.key === "u" && undoable > 0;
      const redoes = event.key === "U" && redoable > 0;
      if (field || event.ctrlKey || event.metaKey || event.altKey || !(undoes || redoes)) return;
      event.stopImmediatePropagation(); // elsewhere these keys undo what was changed in the sheet
      void (undoes ? undo() : redo());
    };
    window.addEventListener("keydown", press, true);
    return () => window.removeEventListener("keydown", press, true);
  }, [undoable, redoable, undo, redo]);
  if (error) return <p className="problem" role="alert">{message(error)}</p>;
  if (!data || data.steps.length === 0) return <p className="faint"><Trans>Nothing has been edited. Click a street to change it, or draw one.</Trans></p>;
  return (
    <>
      <div className="block-tools">
        <Button size="small" disabled={!undoable} onClick={() => void undo()}><Trans>Undo</Trans></Button>
        <Button size="small" disabled={!redoable} onClick={() => void redo()}><Trans>Redo</Trans></Button>
      </div>
      <ol className="ledger" aria-label={t`Steps`} reversed>
        {[...data.steps].reverse().map((step) => (
          <li key={step.step} className={step.undone ? "quiet" : undefined}>
            {stepWords(step)} <span className="faint">{step.undone ? t`${clock(step.made)}, taken back` : clock(step.made)}</span>
            {step.misfits.map((why) => (
              <span key={why} className="problem">{why}</span>
            ))}
          </li>
        ))}
      </ol>
    </>
  );
}

/** What a step did, in a few words. */
function stepWords({ edits }: Step): string {
  const [first] = edits.features;
  if (!first) return "";
  const { edit, tags = {}, links = [] } = first.properties;
  const count = edits.features.length;
  const name = tags.name ?? words(tags.highway ?? "street");
  const many = Math.max(links.length, 1);
  const did = {
    add: t`Drew ${name}`,
    delete: plural(many, { one: "Took a street out", other: "Took # streets out" }),
    reverse: t`Turned a street round`,
    change: Object.entries(tags).map(([key, value]) => (value ? `${words(key)} ${value}` : t`no ${words(key)}`)).join(", ") + " " + plural(many, { one: "on a street", other: "on # streets" }),
    reshape: t`Drew a street anew`,
    split: t`Split a street`,
    join: t`Joined streets`,
    separate: t`Took streets apart at a junction`,
    move: t`Moved a junction`,
    node: t`Changed a junction`,
    restrict: t`Barred a turn`,
    allow: t`Allowed a turn`,
  }[edit];
  return count > 1 ? t`${did}, ${figure(count)} edits` : did;
}
