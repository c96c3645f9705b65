/** People on the map in step with the time that is played, and a small column on each place that fills. */
import { t } from "@lingui/core/macro";
import { useEffect, useMemo } from "react";
import type { Playback } from "../../api/playback";
import { stepOf } from "../../common/moments";
import { rgb, token } from "../../map/look";
import type { Standing } from "../../map/MapCanvas";
import { People } from "../../map/people";
import { PeopleCanvas } from "../../map/PeopleCanvas";
import type { Scene } from "../../map/scene";
import { inkOf } from "../../map/view";
import { screenNow, useScreen } from "../../state/screen";
import { useSheet, type QuestionBlock } from "../../state/sheet";
import { usePlayback, type Moving } from "./usePlayback";

declare global {
  interface Window {
    /** For tests: who is seen moving, and what a picture costs. */
    awlPeople?: PeopleCanvas;
  }
}

const MINUTE_MS = 60_000;
/** Places that carry a column at most: more would hide the map. */
const MOST_COLUMNS = 120;

export function usePeople(standing: Standing | null, study: string): void {
  const { moving, playback } = usePlayback(study);
  const { question, hidden, theme, moment } = useScreen("question", "hidden", "theme", "moment");
  const { data: sheet } = useSheet(study);
  const looks = sheet?.blocks.find((block): block is QuestionBlock => block.kind === "question" && block.id === question)?.look;
  const scene = standing?.scene ?? null;
  const layer = useMemo(() => playback && new PeopleCanvas(new People(playback)), [playback]);

  useEffect(() => {
    if (!scene || !layer) return;
    layer.attach(scene.map);
    window.awlPeople = layer;
    return () => {
      delete window.awlPeople;
      layer.detach();
    };
  }, [scene, layer]);

  useEffect(() => {
    if (!layer || !moving) return;
    const shown = Object.entries(moving.inks).filter(([state]) => !hidden[`state:${state}`]);
    layer.setInks(shown.map(([state, ink]) => [state, rgb(looks?.[`state:${state}`]?.colour ?? inkOf(ink, "fill"))]), rgb(token("--page")));
  }, [layer, moving, hidden, theme, looks]);

  useRunning(layer, moving);
  useEffect(() => {
    if (layer && moment !== null && !screenNow().running) layer.show(moment * MINUTE_MS);
  }, [layer, moment]);
  useColumns(scene, playback, moving);
}

/** Let time run: the map with every picture, the rest of the screen with every minute. */
function useRunning(layer: PeopleCanvas | null, moving: Moving | null): void {
  const { running } = useScreen("running");
  useEffect(() => {
    if (!layer || !moving || !running) return;
    let frame = 0;
    let before: number | null = null;
    let now = screenNow().moment ?? moving.begin;
    if (now >= moving.end) now = moving.begin;
    const step = (time: number) => {
      const { pace, loops, moment, lookAtMoment, runTime } = screenNow();
      // Somebody has moved the ruler meanwhile.
      if (moment !== null && Math.abs(moment - Math.floor(now)) > 1) now = moment;
      now += (Math.min(time - (before ?? time), 250) / 1000) * pace;
      before = time;
      if (now >= moving.end) {
        if (!loops) {
          lookAtMoment(moving.end);
          layer.show(moving.end * MINUTE_MS);
          return runTime(false);
        }
        now = moving.begin;
      }
      layer.show(now * MINUTE_MS);
      if (Math.floor(now) !== moment) lookAtMoment(Math.floor(now));
      frame = requestAnimationFrame(step);
    };
    frame = requestAnimationFrame(step);
    return () => cancelAnimationFrame(frame);
  }, [layer, moving, running]);
}

/** A column on each place: how full it is, and a notch with how many found it full. */
function useColumns(scene: Scene | null, playback: Playback | null, moving: Moving | null): void {
  const { moment } = useScreen("moment");
  const columns = useMemo(() => (playback && playback.places.length <= MOST_COLUMNS ? playback.places.map((place) => ({ place, ...columnOf() })) : []), [playback]);
  useEffect(() => {
    if (!scene) return;
    const gone = columns.map(({ place, element }) => scene.stand(element, place.at));
    return () => gone.forEach((take) => take());
  }, [scene, columns]);
  useEffect(() => {
    if (!playback || !moving) return;
    const step = stepOf(playback.minutes, moment ?? moving.begin);
    for (const { place, element, fill, notch } of columns) {
      const [inside, turned, most] = [place.inside[step] ?? 0, place.turned_away[step] ?? 0, Math.max(...place.inside, 1)];
      const room = place.room ?? most;
      fill.style.height = `${Math.min((100 * inside) / Math.max(room, 1), 100)}%`;
      element.classList.toggle("full", place.room !== null && inside >= place.room);
      notch.textContent = turned > 0 ? String(turned) : "";
      const held = place.room === null ? t`${place.name}: ${inside} inside` : t`${place.name}: ${inside} of ${place.room} inside`;
      element.title = [held, ...(turned > 0 ? [t`${turned} found it full`] : [])].join(", ");
    }
  }, [columns, playback, moving, moment]);
}

function columnOf(): { element: HTMLElement; fill: HTMLElement; notch: HTMLElement } {
  const [element, shaft, fill, notch] = ["div", "div", "i", "span"].map((name) => document.createElement(name)) as [HTMLElement, HTMLElement, HTMLElement, HTMLElement];
  element.className = "fullness";
  shaft.append(fill);
  element.append(notch, shaft);
  return { element, fill, notch };
}
