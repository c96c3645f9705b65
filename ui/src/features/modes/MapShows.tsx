/** What the map of the stage Modes shows: what streets are coloured by, at which hour, and beside which other mode. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Slider } from "@mui/material";
import { useState } from "react";
import type { Overview } from "../../api/studies";
import { Word } from "../../controls/inline";
import { useScreen, type Colour } from "../../state/screen";
import { clock, DAYS, dayOf, hourOf, momentOf, type Day } from "../../common/moments";

const COLOURS: [Colour, string][] = [
  ["use", t`what is used`],
  ["speed", t`how fast`],
  ["source", t`where the speed comes from`],
  ["slope", t`how steep`],
  ["delay", t`where time is lost`],
  ["beside", t`what is used beside`],
];

export function MapShows({ overview, mode }: { overview: Overview; mode: string }) {
  const { colour, beside, at, colourBy, setBeside, setHour } = useScreen("colour", "beside", "at", "colourBy", "setBeside", "setHour");
  const others = overview.modes.filter(({ id }) => id !== mode);
  const other = others.find(({ id }) => id === beside) ?? others[0];
  return (
    <>
      <p className="prose">
        <Trans>
          The map shows <Word kind="way" label={t`Colour of the streets`} value={colour} options={COLOURS} onChange={(value) => {
              colourBy(value as Colour);
              if (value === "beside") setBeside(other?.id ?? null);
            }} />{" "}
          {colour === "beside" && other && <><Word kind="mode" label={t`Other mode`} value={other.id} options={others.map(({ id, title }) => [id, title.toLowerCase()])} onChange={(value) => setBeside(value)} />{" "}</>}
          <Word kind="time" label={t`Day`} value={at ? dayOf(at) : ""} options={[["", t`in free flow`], ...DAYS]} onChange={(day) => setHour(day ? momentOf(day as Day, at ? hourOf(at) : 8) : null)} />
          {at && <>{" "}{t`at ${clock(hourOf(at))}`}</>}.
        </Trans>
      </p>
      {at && <HourSlider hour={hourOf(at)} onHour={(hour) => setHour(momentOf(dayOf(at), hour))} />}
    </>
  );
}

/** The hour of the day; what follows from it is fetched when the slider is let go. */
function HourSlider({ hour, onHour }: { hour: number; onHour: (hour: number) => void }) {
  const [shown, setShown] = useState(hour);
  return (
    <div className="hour-slider">
      <Slider
        size="small"
        value={shown}
        min={0}
        max={23.5}
        step={0.5}
        marks={[0, 6, 12, 18].map((value) => ({ value, label: clock(value) }))}
        getAriaLabel={() => t`Hour of the day`}
        getAriaValueText={clock}
        valueLabelDisplay="auto"
        valueLabelFormat={clock}
        onChange={(_, next) => setShown(next)}
        onChangeCommitted={(_, next) => onHour(next)}
      />
    </div>
  );
}
