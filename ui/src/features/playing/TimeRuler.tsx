/** The ruler of time along the foot of the map: play, pause, step, and what everybody is doing at the moment under the cursor. */
import { t } from "@lingui/core/macro";
import { Slider } from "@mui/material";
import { Trans } from "@lingui/react/macro";
import { useEffect } from "react";
import type { Doing } from "../../api/playback";
import { capital, clockOfDay, figure } from "../../common/format";
import { stepOf } from "../../common/moments";
import { Word } from "../../controls/inline";
import { useScreen } from "../../state/screen";
import { PACES } from "../../state/slices/moments";
import { Animation } from "./Animation";
import { usePlayback } from "./usePlayback";

/** Hours and parts of them between two ticks, in minutes. */
const TICKS = [5, 10, 15, 30, 60, 120, 240];
const MOST_TICKS = 12;
const STEP_MIN = 1;

export function TimeRuler({ study }: { study: string }) {
  const { moving, playback } = usePlayback(study);
  const { question, moment, running, pace, loops, lookAtMoment, runTime, setPace, setLoops } = useScreen("question", "moment", "running", "pace", "loops", "lookAtMoment", "runTime", "setPace", "setLoops");
  const [begin, end] = [moving?.begin ?? 0, moving?.end ?? 0];
  const at = moment ?? begin;
  const ready = playback !== null;
  useEffect(() => {
    if (!moving) return;
    const press = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement | null;
      // Space presses what has the focus; elsewhere it plays.
      const taken = target?.closest("button, input, textarea, select, a, summary, [role=button], [role=slider], canvas, [role=grid]");
      if (event.key !== " " || taken || event.ctrlKey || event.metaKey || event.altKey) return;
      event.preventDefault();
      runTime(!running);
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, [moving, running, runTime]);
  if (!moving) return null;
  const move = (by: number) => {
    runTime(false);
    lookAtMoment(Math.min(Math.max(Math.round(at) + by, begin), end));
  };
  const apart = TICKS.find((one) => (end - begin) / one <= MOST_TICKS) ?? 240;
  const marks = Array.from({ length: Math.floor(end / apart) - Math.ceil(begin / apart) + 1 }, (_, i) => {
    const value = (Math.ceil(begin / apart) + i) * apart;
    return { value, label: clockOfDay(value) };
  });
  const step = playback ? stepOf(playback.minutes, at) : 0;
  const places = (playback?.places.length ?? 0) > 0;
  const told = (Object.entries(playback?.counts ?? {}) as [Doing, number[]][]).flatMap(([doing, counts]) => {
    const count = counts[step] ?? 0;
    return count > 0 && (places || (doing !== "waiting" && doing !== "inside")) ? [[doing, count] as const] : [];
  });
  return (
    <section className="time-ruler" aria-label={t`Time`}>
      <div className="keys-of-time">
        <button className="tool" aria-label={t`A minute back`} title={t`A minute back`} disabled={!ready || at <= begin} onClick={() => move(-STEP_MIN)}>
          <svg viewBox="0 0 20 20"><path d="M12.5 4.5 6 10l6.5 5.5" /></svg>
        </button>
        <button className="tool play" aria-label={running ? t`Pause` : t`Play`} title={running ? t`Pause (space)` : t`Play (space)`} aria-pressed={running} disabled={!ready} onClick={() => runTime(!running)}>
          <svg viewBox="0 0 20 20">{running ? <path d="M7 4.5V15.5M13 4.5V15.5" strokeWidth="2.4" /> : <path d="M6 4 15.5 10 6 16Z" fill="currentColor" />}</svg>
        </button>
        <button className="tool" aria-label={t`A minute on`} title={t`A minute on`} disabled={!ready || at >= end} onClick={() => move(STEP_MIN)}>
          <svg viewBox="0 0 20 20"><path d="M7.5 4.5 14 10l-6.5 5.5" /></svg>
        </button>
        <output aria-label={t`Time of day`}>{clockOfDay(at)}</output>
      </div>
      <Slider
        size="small"
        min={begin}
        max={end}
        step={1}
        value={at}
        disabled={!ready}
        track={false}
        marks={marks}
        aria-label={t`Time that is shown`}
        getAriaValueText={clockOfDay}
        onChange={(_, value) => {
          runTime(false);
          lookAtMoment(value);
        }}
      />
      <p>
        {told.map(([doing, count]) => (
          <span key={doing} data-doing={doing}>
            {capital(doing)} <b>{figure(count)}</b>
          </span>
        ))}
        <span className="pace">
          <a href={`/studies/${study}/maps/${question ?? ""}?format=png&moment=${clockOfDay(at)}`} target="_blank" rel="noreferrer" title={t`A map sheet of this moment`}>
            <Trans>Still</Trans>
          </a>
          <Animation study={study} question={question ?? ""} />
          <Word kind="amount" label={t`Minutes of the day in a second`} value={String(pace)} options={PACES.map((one): [string, string] => [String(one), t`${one} min a second`])} onChange={(value) => setPace(Number(value))} />
          <button className="linkish" aria-pressed={loops} onClick={() => setLoops(!loops)}>
            {loops ? t`over and over` : t`once`}
          </button>
        </span>
      </p>
    </section>
  );
}
