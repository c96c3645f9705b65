/** The stepper along the top: five stages in working order, and what lies open between them. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQueries } from "@tanstack/react-query";
import { clock } from "../common/format";
import type { Overview, SheetDoc } from "../api/studies";
import { isStale, usePreparation, useSheetActions, type Answer, type QuestionBlock } from "../state/sheet";
import { addressOf, STAGES, useScreen, useScreenValue, type Stage } from "../state/screen";

const NAMES: Record<Stage, string> = { sources: t`Sources`, streets: t`Streets`, modes: t`Modes`, sheet: t`Sheet`, handout: t`Handout` };
type StepState = "closed" | "stale" | "failed";

export function Stepper({ overview, sheet }: { overview: Overview; sheet: SheetDoc | undefined }) {
  const { stage, study, theme, flipTheme, redoable } = useScreen("stage", "study", "theme", "flipTheme", "redoable");
  const { undo, redo } = useSheetActions(overview.id);
  const stale = useStaleCount(overview.id, sheet);
  const failed = useScreenValue((screen) => Object.values(screen.runs).filter((run) => run.error).length);
  const built = overview.revision !== "";
  const lines: [StepState, string][] = [
    [built ? "closed" : "stale", built ? "" : t`no streets yet`],
    [built ? "closed" : "stale", ""],
    [failed ? "failed" : built ? "closed" : "stale", failed ? t`${failed} failed` : ""],
    [stale ? "stale" : "closed", stale ? t`stale` : ""],
  ];
  return (
    <header className="head">
      <div className="brand">
        <a href="#/" aria-label="Awl, all studies">
          <b><Trans>Awl</Trans></b>
          <span>{overview.title}</span>
        </a>
        <Kept overview={overview} changed={sheet?.changed ?? ""} />
      </div>
      <nav className="stepper" aria-label={t`Stages`}>
        {STAGES.map((name, i) => (
          <StageWithLine key={name} name={name} study={study} current={stage === name} line={lines[i]} />
        ))}
      </nav>
      <div className="tools">
        <button className="tool" title="Undo the last change of the sheet" aria-label={t`Undo`} disabled={!sheet?.undo} onClick={() => void undo()}>
          <svg viewBox="0 0 20 20"><path d="M7 4 3.5 7.5 7 11M4 7.5h8a4 4 0 0 1 0 8H9" /></svg>
        </button>
        <button className="tool" title="Make the undone change of the sheet again" aria-label={t`Redo`} disabled={!redoable} onClick={() => void redo()}>
          <svg viewBox="0 0 20 20"><path d="M13 4l3.5 3.5L13 11M16 7.5H8a4 4 0 0 0 0 8h3" /></svg>
        </button>
        <button className="tool" title="Light or dark" aria-label={theme === "dark" ? t`Change to the light theme` : t`Change to the dark theme`} onClick={flipTheme}>
          <svg viewBox="0 0 20 20"><circle cx="10" cy="10" r="6.2" /><path d="M10 3.8a6.2 6.2 0 0 1 0 12.4z" fill="currentColor" /></svg>
        </button>
      </div>
    </header>
  );
}

/** Whether all is kept; first of all, what is still made quick behind. */
export function Kept({ overview, changed }: { overview: Overview; changed: string }) {
  const modes = overview.modes.map((mode) => mode.changed).join();
  const conflict = useScreenValue((screen) => screen.conflict);
  const now = usePreparation(overview.id, overview.revision, modes).data?.now;
  if (conflict) return <small role="status"><Trans>Not saved: the sheet was changed elsewhere</Trans></small>;
  if (now) {
    const title = t`${now.title}: ${now.what}, ${Math.round(100 * now.share)}%. Questions are answered in the meantime, but slower.`;
    return (
      <small role="status" title={title}>
        <Trans>Preparing the street network: {now.ready} of {now.modes} modes</Trans>
      </small>
    );
  }
  return <small>{changed ? t`All changes kept, ${clock(changed)}` : t`Nothing changed yet`}</small>;
}

function StageWithLine({ name, study, current, line }: { name: Stage; study: string | null; current: boolean; line: [StepState, string] | undefined }) {
  const open = useScreenValue((screen) => screen.sheet);
  return (
    <>
      <a className="stage" href={`#${addressOf(study ?? "", name, open)}`} {...(current ? { "aria-current": "page" as const } : {})}>
        <i />
        {NAMES[name]}
      </a>
      {line && (
        <div className="step-line">
          <StepLine kind={line[0]} />
          {line[1] && <em className={line[0]}>{line[1]}</em>}
        </div>
      )}
    </>
  );
}

function StepLine({ kind }: { kind: StepState }) {
  const line = { stroke: "var(--thread)", strokeWidth: 2.4, fill: "none" };
  if (kind === "stale") {
    return (
      <svg viewBox="0 0 100 26" preserveAspectRatio="none" aria-hidden="true">
        <path d="M2 8 H30 q6 0 9 4 t10 3" {...line} strokeWidth={1.8} vectorEffect="non-scaling-stroke" strokeDasharray="9 5" />
        <path d="M98 8 H72 q-5 0 -9 -3 t-9 1" {...line} strokeWidth={1.8} vectorEffect="non-scaling-stroke" strokeDasharray="9 5" />
      </svg>
    );
  }
  return (
    <svg viewBox="0 0 100 26" preserveAspectRatio="none" aria-hidden="true">
      <path d="M2 8 H98" {...line} vectorEffect="non-scaling-stroke" strokeDasharray="9 5" />
      {kind === "failed" && <path d="M44 8 q6 -14 9 -2 t-6 8 q-6 -2 4 -6 t8 4" {...line} stroke="var(--error)" vectorEffect="non-scaling-stroke" />}
    </svg>
  );
}

/** How many answers no longer fit their question or the streets. */
function useStaleCount(study: string, sheet: SheetDoc | undefined): number {
  const questions = (sheet?.blocks ?? []).filter((b): b is QuestionBlock => b.kind === "question");
  const answers = useQueries({
    queries: questions.map((q) => ({ queryKey: ["answer", study, q.id], enabled: false })),
  });
  return questions.filter((q, i) => isStale(q, answers[i]?.data as Answer | null | undefined)).length;
}
