/** What can be done, by its words: questions, stages, places to look at. Opened with Ctrl K; `?` lists the keys. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Autocomplete, Dialog, TextField } from "@mui/material";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import type { ProcessInfo } from "../api/inputs";
import { search } from "../api/studies";
import { go, STAGES, useScreenValue, type Stage } from "../state/screen";

export type Act = { group: string; words: string; run: () => void };
type Props = { study: string; acts: Act[] };

/** Keys of the application, beside those of the map and of tables. */
export const KEYS: [string, string][] = [
  [t`Ctrl K`, t`Do anything by its words`],
  ["?", t`This list`],
  [t`1 to 5`, t`The stages, from Sources to Handout`],
  [t`J, K`, t`Next question, question before`],
  ["A", t`Ask the selected question again`],
  [t`Alt up, Alt down`, t`Move the selected question`],
  ["C", t`Compare the selected answer with another`],
  ["M", t`Measure on the map`],
  [t`U, Shift U`, t`Undo, redo a change of the sheet`],
  ["D", t`Light or dark`],
  [t`Escape`, t`End what waits for the map`],
];

/** A key that is meant for the page: nothing is being written. */
export function isForPage(event: KeyboardEvent): boolean {
  const target = event.target as HTMLElement | null;
  return !event.ctrlKey && !event.metaKey && !(target && (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName)));
}

export const questionActs = (processes: ProcessInfo[], open: (process: ProcessInfo) => void): Act[] =>
  processes.map((process) => ({ group: t`Ask`, words: `${process["x-awl"].opening} … ${process.title.toLowerCase()}`, run: () => open(process) }));

export const stageActs = (study: string): Act[] =>
  STAGES.map((stage: Stage) => ({ group: t`Go to`, words: stage.replace(/^./, (letter) => letter.toUpperCase()), run: () => go(study, stage) }));

export function Palette({ study, acts }: Props) {
  const [shown, setShown] = useState<"acts" | "keys" | null>(null);
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "k") {
        event.preventDefault();
        setShown((now) => (now === "acts" ? null : "acts"));
      } else if (event.key === "?" && isForPage(event)) setShown("keys");
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, []);
  const close = () => setShown(null);
  return (
    <Dialog open={shown !== null} onClose={close} transitionDuration={0} slotProps={{ paper: { className: "palette" } }}>
      {shown === "keys" ? <Keys /> : <Acts study={study} acts={acts} close={close} />}
    </Dialog>
  );
}

function Keys() {
  return (
    <>
      <h2><Trans>Keys</Trans></h2>
      <dl className="keys">
        {KEYS.map(([key, what]) => (
          <div key={key}>
            <dt>
              <kbd>{key}</kbd>
            </dt>
            <dd>{what}</dd>
          </div>
        ))}
      </dl>
    </>
  );
}

function Acts({ study, acts, close }: Props & { close: () => void }) {
  const [text, setText] = useState("");
  const lookAt = useScreenValue((screen) => screen.lookAt);
  const { data: hits } = useQuery({ queryKey: ["search", study, text], queryFn: () => search(study, text), enabled: text.trim().length > 1 });
  const wanted = text.trim().toLowerCase();
  const options: Act[] = [
    ...acts.filter(({ words }) => wanted.split(/\s+/).every((word) => words.toLowerCase().includes(word))),
    ...(hits ?? []).map((hit): Act => ({ group: t`Look at`, words: `${hit.name}, ${hit.what}`, run: () => lookAt([hit.lon, hit.lat]) })),
  ];
  return (
    <Autocomplete
      open
      autoHighlight
      options={options}
      filterOptions={(all) => all}
      groupBy={({ group }) => group}
      getOptionLabel={(act) => (typeof act === "string" ? act : act.words)}
      getOptionKey={(act) => (typeof act === "string" ? act : act.group + act.words)}
      inputValue={text}
      value={null}
      onInputChange={(_, next, reason) => reason !== "reset" && setText(next)}
      onChange={(_, act) => {
        if (!act) return;
        close();
        act.run();
      }}
      disablePortal
      forcePopupIcon={false}
      slotProps={{ listbox: { className: "palette-list" } }}
      renderInput={(params) => <TextField {...params} autoFocus placeholder={t`A question, a stage, a place`} aria-label={t`What to do`} />}
    />
  );
}
