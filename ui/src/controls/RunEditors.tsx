/** Editors of the words of a simulation: a window of the day, room at places, shares of modes, names of states, and what a sweep goes over. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Button, FormControlLabel, Radio, RadioGroup, TextField } from "@mui/material";
import { useState } from "react";
import { words } from "../common/format";
import type { ControlProps } from "./control";
import { fieldsOf } from "./FieldEditors";
import { numbersOf } from "./words";

const CLOCK = /^\d{1,2}:\d{2}$/;

/** From when to when people set out; or a field of their trips that says so. */
export function WindowEditor({ slot, block, overview, value, put }: ControlProps) {
  const [begin = "13:00", end = "14:00"] = String(value ?? "").includes("/") ? String(value).split("/") : [];
  const [times, setTimes] = useState<[string, string]>([begin, end]);
  const fields = fieldsOf(slot, block.inputs, overview);
  const right = times.every((time) => CLOCK.test(time)) && (times[0] ?? "") < (times[1] ?? "");
  const field = (nth: 0 | 1, label: string) => (
    <TextField
      size="small"
      type="time"
      value={times[nth]}
      error={!right}
      slotProps={{ htmlInput: { "aria-label": label, style: { width: 92 } } }}
      onChange={(event) => setTimes(nth === 0 ? [event.target.value, times[1]] : [times[0], event.target.value])}
      onKeyDown={(event) => event.key === "Enter" && right && put(times.join("/"))}
    />
  );
  return (
    <>
      <div className="row">
        <Trans>
          between {field(0, t`First start`)} and {field(1, t`Last start`)}
        </Trans>
        <Button size="small" disabled={!right} onClick={() => put(times.join("/"))}>
          <Trans>Take</Trans>
        </Button>
      </div>
      {fields.length > 0 && (
        <RadioGroup row aria-label={t`A field with times`} value={String(value ?? "").includes("/") ? "" : value} onChange={(event) => put(event.target.value)}>
          {fields.map((one) => (
            <FormControlLabel key={one} value={one} label={t`at the times in ${words(one)}`} control={<Radio size="small" />} />
          ))}
        </RadioGroup>
      )}
    </>
  );
}

/** How many a place holds: a number for all, a field of the places, or any number. */
export function RoomEditor({ slot, block, overview, value, put }: ControlProps) {
  const [text, setText] = useState(typeof value === "number" ? String(value) : "");
  const right = /^\d+$/.test(text.trim());
  const take = () => right && put(Number(text));
  return (
    <>
      <RadioGroup row aria-label={slot.label} value={typeof value === "string" ? value : value === null || value === undefined ? "" : "#"} onChange={(event) => put(event.target.value || null)}>
        <FormControlLabel value="" label={slot.nothing} control={<Radio size="small" />} />
        {fieldsOf(slot, block.inputs, overview).map((one) => (
          <FormControlLabel key={one} value={one} label={t`as many as ${words(one)} says`} control={<Radio size="small" />} />
        ))}
      </RadioGroup>
      <div className="row">
        <TextField
          size="small"
          value={text}
          slotProps={{ htmlInput: { "aria-label": t`Room of each place`, inputMode: "numeric", style: { width: 64 } } }}
          onChange={(event) => setText(event.target.value)}
          onKeyDown={(event) => event.key === "Enter" && take()}
        />
        <Trans>in each place</Trans>
        <Button size="small" disabled={!right} onClick={take}>
          <Trans>Take</Trans>
        </Button>
      </div>
    </>
  );
}

/** Shares in percent that go by other modes. */
export function SharesEditor({ block, overview, value, put }: ControlProps) {
  const given = (value ?? {}) as Record<string, number>;
  const [texts, setTexts] = useState<Record<string, string>>(() => Object.fromEntries(Object.entries(given).map(([mode, share]) => [mode, String(share)])));
  const others = overview.modes.filter(({ id, problem }) => id !== block.inputs.mode && !problem);
  const shares = Object.fromEntries(Object.entries(texts).flatMap(([mode, text]) => (text.trim() === "" || Number(text) === 0 ? [] : [[mode, Number(text)]])));
  const right = Object.values(shares).every((share) => share > 0 && share <= 100) && Object.values(shares).reduce((sum, share) => sum + share, 0) <= 100;
  const take = () => put(Object.keys(shares).length ? shares : undefined);
  return (
    <>
      {others.map(({ id, title }) => (
        <div className="row" key={id}>
          <TextField
            size="small"
            value={texts[id] ?? ""}
            error={!right}
            slotProps={{ htmlInput: { "aria-label": t`Share of ${title}, in percent`, inputMode: "decimal", style: { width: 52 } } }}
            onChange={(event) => setTexts({ ...texts, [id]: event.target.value })}
            onKeyDown={(event) => event.key === "Enter" && right && take()}
          />
          % {title}
        </div>
      ))}
      <Button size="small" disabled={!right} onClick={take}>
        <Trans>Take</Trans>
      </Button>
      {!right && <p className="problem"><Trans>Shares lie between 0 and 100 % and come to 100 % at most.</Trans></p>}
      <p className="hint"><Trans>All others go by the mode of the sentence.</Trans></p>
    </>
  );
}

/** As the server takes them: letters, digits, spaces, hyphens and apostrophes, a letter first. */
const NAME = /^\p{L}(?:[\p{L}\p{N} '-]{0,38}[\p{L}\p{N}])?$/u;

/** What each of some states is called. */
export function NamesEditor({ slot, value, put }: ControlProps) {
  const usual = Object.entries(slot.words ?? {});
  const [names, setNames] = useState<string[]>(() => (value as string[] | undefined) ?? usual.map(([name]) => name));
  const told = names.map((name) => name.trim());
  const right = told.every((name) => NAME.test(name)) && new Set(told.map((name) => name.toLowerCase())).size === told.length;
  return (
    <>
      {usual.map(([state, meaning], nth) => (
        <div className="row" key={state}>
          <TextField
            size="small"
            value={names[nth]}
            error={!right}
            slotProps={{ htmlInput: { "aria-label": t`Those who ${meaning}`, style: { width: 150 } } }}
            onChange={(event) => setNames(names.map((name, i) => (i === nth ? event.target.value : name)))}
            onKeyDown={(event) => event.key === "Enter" && right && put(told)}
          />
          {meaning}
        </div>
      ))}
      <div className="row">
        <Button size="small" disabled={!right} onClick={() => put(told)}>
          <Trans>Take</Trans>
        </Button>
        <Button size="small" onClick={() => put(undefined)}>
          <Trans>The usual names</Trans>
        </Button>
      </div>
      {!right && <p className="problem"><Trans>Three different names of letters, digits and spaces.</Trans></p>}
    </>
  );
}

/** Values a sweep may go through. */
const MOST_VALUES = 60;
/** What a sweep over each input begins with. */
const USUAL: Record<string, number[]> = {
  people: [500, 1000, 1500, 2000, 3000],
  more_seats: [0, 20, 40, 60, 80, 100],
  within: [10, 20, 30, 45],
  stay: [30, 60, 120, 180],
  at_home: [0, 10, 20, 30, 40, 50],
  speed: [60, 80, 100, 120],
  pass_on: [5, 10, 20, 50],
};
const MOST_SWEPT = 2;

/** One or two numbers of the question with the values they go through. */
export function SweepEditor({ slot, block, value, put }: ControlProps) {
  const given = (value ?? {}) as Record<string, number[]>;
  const [texts, setTexts] = useState<Record<string, string>>(() => Object.fromEntries(Object.entries(given).map(([name, values]) => [name, values.join(", ")])));
  const names = Object.keys(slot.words ?? {}).filter((name) => (name !== "pass_on" || block.inputs.pass_on) && (name !== "more_seats" || block.inputs.capacity));
  const chosen = names.filter((name) => texts[name] !== undefined);
  const read = Object.fromEntries(chosen.map((name) => [name, numbersOf(texts[name] ?? "", MOST_VALUES)]));
  const right = Object.values(read).every((values) => values !== null);
  const take = () => put(chosen.length ? read : undefined);
  const toggle = (name: string) => {
    const { [name]: former, ...rest } = texts;
    setTexts(former === undefined ? { ...texts, [name]: (USUAL[name] ?? []).join(", ") } : rest);
  };
  return (
    <>
      <div className="row wrap" role="group" aria-label={slot.label}>
        {names.map((name) => (
          <button key={name} className="linkish" aria-pressed={chosen.includes(name)} disabled={!chosen.includes(name) && chosen.length >= MOST_SWEPT} onClick={() => toggle(name)}>
            {slot.words?.[name]}
          </button>
        ))}
      </div>
      {chosen.map((name) => (
        <div className="row" key={name}>
          <TextField
            size="small"
            value={texts[name] ?? ""}
            error={read[name] === null}
            slotProps={{ htmlInput: { "aria-label": t`Values: ${slot.words?.[name] ?? name}`, style: { width: 190 } } }}
            onChange={(event) => setTexts({ ...texts, [name]: event.target.value })}
            onKeyDown={(event) => event.key === "Enter" && right && take()}
          />
          {slot.words?.[name]}
        </div>
      ))}
      <div className="row">
        <Button size="small" disabled={!right} onClick={take}>
          <Trans>Take</Trans>
        </Button>
        <Button size="small" onClick={() => put(undefined)}>
          <Trans>No sweep</Trans>
        </Button>
      </div>
      <p className="hint"><Trans>Numbers with commas, or such as 0 to 200 by 20. One gives curves, two give a table.</Trans></p>
    </>
  );
}
