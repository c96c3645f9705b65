/** The map with its edge ticks. Nothing lies on it: legend and scale stand in the margin. */
import { valuesOf } from "./modeBands";
import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { liveReach, modeArrays, near, type Inputs, type Overview } from "../api/own";
import type { Packed } from "../api/packed";
import { isPointSet, pointFeature, type Against, type PointSet } from "../sheet/words";
import { message, useAnswer, useSheet, useSheetActions, type QuestionBlock } from "../state/sheet";
import { useScreen } from "../state/store";
import type { MapContent, StreetsShown } from "./content";
import { extentOf, isSeen } from "./extent";
import { useOwnWay } from "./ownWay";
import { Scene } from "./scene";
import { whileDrawing } from "./whileDrawing";

type Props = { overview: Overview; streets: Packed | null; content: MapContent; onScale: (metresPerPixel: number) => void };

export default function MapView({ overview, streets, content, onScale }: Props) {
  const holder = useRef<HTMLDivElement>(null);
  const [scene, setScene] = useState<Scene | null>(null);
  const [styled, setStyled] = useState(0);
  const { theme, hidden, stage } = useScreen();
  const { id: study, stamp, drawn } = overview;

  useEffect(() => {
    if (!holder.current || !overview.bounds) return;
    const [west, south, east, north] = overview.bounds;
    const made = new Scene(holder.current, theme, study, stamp, hasLayer(overview), [west, south, east, north], overview.drawn);
    const report = () => onScale(metresPerPixel(made));
    made.map.on("move", report);
    made.map.on("resize", report);
    report();
    setScene(made);
    return () => {
      made.destroy();
      setScene(null);
    };
    // A study keeps its map; new streets restyle it below.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [study]);

  useEffect(() => {
    if (!scene) return;
    let current = true;
    void scene.restyle(theme, study, stamp, hasLayer(overview), streets, content.bandCount).then(() => {
      if (current) setStyled((n) => n + 1);
    });
    return () => {
      current = false;
    };
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [scene, theme, stamp, streets]);

  useEffect(() => {
    if (!scene || !styled) return;
    scene.setBands(content.bandCount);
    scene.show(content.overlays);
    // Links are lettered where the legend can switch it.
    scene.hideBase(stage === "streets" && !drawn ? hidden : { ...hidden, "link-numbers": true });
  }, [scene, styled, content, hidden, stage, drawn]);

  const rules = overview.modes.map(({ id, changed }) => id + changed).join();
  useStreets(scene, styled, study, `${stamp} ${rules}`, content.streets);
  usePins(scene, study);
  useAnswerInView(scene, study);
  const nameThere = useCallback((at: [number, number], by: string) => streetName(study, at, by), [study]);
  useClicks(scene, study);
  useDrawing(scene);
  useOwnWay(scene, styled, study, nameThere);
  usePointer(scene);
  const opacity = useScreen((screen) => screen.opacity);
  useEffect(() => {
    if (scene && styled) scene.setOpacity(opacity);
  }, [scene, styled, opacity]);
  const order = content.order;
  useEffect(() => {
    if (scene && styled) scene.setOrder(order);
  }, [scene, styled, order]);
  const label = useScreen((screen) => screen.label) ?? (drawn ? "length" : null);
  useEffect(() => {
    if (scene && styled) scene.letter(study, stamp, label);
  }, [scene, styled, study, stamp, label]);
  return <div ref={holder} className="map" data-testid="map" />;
}

const hasLayer = (overview: Overview) => (layer: string) => overview.layers.some(({ id }) => id === layer);

function metresPerPixel(scene: Scene): number {
  const { map } = scene;
  return (40075016.7 * Math.cos((map.getCenter().lat * Math.PI) / 180)) / (512 * 2 ** map.getZoom());
}

/** What a mode makes of the streets, kept once fetched; null while it is on its way or no mode is wanted. */
function useModeArrays(study: string, stamp: string, mode: string | null, at: string | null): Packed | null {
  const { data } = useQuery({
    queryKey: ["mode-arrays", study, stamp, mode, at],
    queryFn: () => modeArrays(study, mode ?? "", at),
    enabled: mode !== null,
    staleTime: Infinity,
    meta: { panel: "map", what: "What the mode makes of the streets" },
  });
  return data ?? null;
}

/** Keep the street layer in step with what it should show; while a point is dragged it follows the newest reach. */
function useStreets(scene: Scene | null, styled: number, study: string, stamp: string, shown: StreetsShown): void {
  const live = useScreen((screen) => screen.live);
  const { mode, at, beside } = shown.kind === "mode" ? shown : { mode: null, at: null, beside: null };
  const modeData = useModeArrays(study, stamp, mode, at);
  const besideData = useModeArrays(study, stamp, beside, at);
  const reachInputs = shown.kind === "reach" ? reachOf(shown.inputs) : null;
  const { data: reach } = useQuery({
    queryKey: ["reach", study, stamp, reachInputs],
    queryFn: () => liveReach(study, reachInputs ?? {}),
    enabled: reachInputs !== null,
    gcTime: 60_000,
    meta: { panel: "map", what: "The streets within reach" },
  });
  const limits = shown.kind === "reach" ? shown.limits : [];
  const factor = reachInputs?.measure === "distance" ? 1000 : 60_000;

  useEffect(() => {
    const layer = scene?.streetLayer;
    if (!layer || !styled || live) return;
    if (shown.kind === "plain") layer.showMode(null, null);
    if (shown.kind === "mode" && modeData) {
      const [forward, backward] = modeData.arrays as [Int32Array, Int32Array];
      const values = shown.values ? valuesOf(shown.values.by, modeData, besideData) : null;
      if (values && shown.values) layer.showValues(values.values, values.forward, values.backward, shown.values.limits);
      else layer.showMode(forward, backward);
    }
    if (shown.kind === "reach" && reach) layer.showReach(reach, limits.map((limit) => limit * factor));
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [scene, styled, shown, modeData, besideData, reach, live]);

  // While dragging: one request in flight, the newest inputs next.
  const pending = useRef<{ busy: boolean; next: Inputs | null }>({ busy: false, next: null });
  useEffect(() => {
    if (!live || !scene) return;
    const state = pending.current;
    state.next = live.inputs;
    if (state.busy) return;
    state.busy = true;
    void (async () => {
      while (state.next) {
        const inputs = reachOf(state.next);
        state.next = null;
        try {
          const packed = await liveReach(study, inputs);
          const scale = inputs.measure === "distance" ? 1000 : 60_000;
          scene.streetLayer?.showReach(packed, (inputs.limits as number[]).map((limit) => limit * scale));
        } catch {
          // The point is off the streets for a moment; the next position will tell.
        }
      }
      state.busy = false;
    })();
  }, [live, scene, study]);
}

/** The words of any question that decide its reach. */
function reachOf(inputs: Inputs): Inputs {
  const names = ["mode", "places", "limits", "direction", "measure", "snap", "closures"];
  return Object.fromEntries(names.filter((name) => inputs[name] !== undefined).map((name) => [name, inputs[name]]));
}

/** Points of the selected question that were set on the map can be dragged there. */
function usePins(scene: Scene | null, study: string): void {
  const { question, stage } = useScreen();
  const { data: sheet } = useSheet(study);
  const { change } = useSheetActions(study);
  const block = sheet?.blocks.find((b): b is QuestionBlock => b.kind === "question" && b.id === question);
  useEffect(() => {
    if (!scene) return;
    const slot = block ? Object.keys(block.inputs).find((name) => name !== "closures" && isPointSet(block.inputs[name])) : undefined;
    if (stage !== "sheet" || !block || !slot) {
      scene.setPins([]);
      return;
    }
    const set = block.inputs[slot] as PointSet;
    const moved = (i: number, at: [number, number], name?: string): PointSet => ({
      ...set,
      features: set.features.map((feature, j) => (i === j ? pointFeature(at[0], at[1], name ?? feature.properties.name) : feature)),
    });
    scene.setPins(
      set.features.map((feature, i) => ({
        name: feature.properties.name ?? `Point ${i + 1}`,
        lngLat: feature.geometry.coordinates,
        onDrag: (at, done) => {
          const inputs = { ...block.inputs, [slot]: moved(i, at) };
          if (!done) {
            if (block.process === "isochrone") useScreen.getState().set({ live: { question: block.id, inputs } });
            return;
          }
          void (async () => {
            const name = await streetName(study, at, String(block.inputs.mode ?? "walk"));
            await change(block, { ...block.inputs, [slot]: moved(i, at, name) });
            useScreen.getState().set({ live: null });
          })();
        },
      })),
    );
  }, [scene, block, stage, study, change]);
}

/** Go to an answer that the map does not show, once for each, and offer the way back. */
function useAnswerInView(scene: Scene | null, study: string): void {
  const stage = useScreen((screen) => screen.stage);
  const question = useScreen((screen) => screen.question);
  const { data: answer } = useAnswer(study, stage === "sheet" ? question : null);
  const looked = useRef<{ question: string | null; made: string } | null>(null);
  useEffect(() => {
    if (!scene || !answer || stage !== "sheet") return;
    const which = { question, made: answer.made };
    if (looked.current?.question === question && looked.current.made === answer.made) return;
    const another = looked.current?.question !== question;
    looked.current = which;
    const box = extentOf(answer.result);
    const { set, live } = useScreen.getState();
    if (!box || live || isSeen(box, scene.view(), another)) {
      if (another) set({ goBack: null });
      return;
    }
    const back = scene.goTo(box);
    set({
      goBack: () => {
        back();
        set({ goBack: null });
      },
    });
    // Whoever moves the map by hand is where they want to be.
    return scene.onceMovedByHand(() => set({ goBack: null }));
  }, [scene, answer, question, stage]);
}

/** The name of the street at a point, or a plain word for it. */
async function streetName(study: string, at: [number, number], mode: string): Promise<string> {
  try {
    const street = await near(study, at[0], at[1], mode, 150);
    return street.name ?? `unnamed ${street.highway.replaceAll("_", " ")}`;
  } catch {
    return "a point off the streets";
  }
}

/** Where the pointer stands is written in the margin; the map goes where something was looked for. */
function usePointer(scene: Scene | null): void {
  const { goTo, set } = useScreen();
  useEffect(() => {
    if (!scene) return;
    const move = ({ lngLat }: { lngLat: { lng: number; lat: number } }) => {
      const output = document.querySelector("[data-pointer]");
      if (output) output.textContent = `${lngLat.lat.toFixed(5)}, ${lngLat.lng.toFixed(5)}`;
    };
    scene.map.on("mousemove", move);
    return () => void scene.map.off("mousemove", move);
  }, [scene]);
  useEffect(() => {
    if (!scene || !goTo) return;
    scene.map.jumpTo({ center: goTo, zoom: Math.max(scene.map.getZoom(), 15) });
    set({ goTo: null });
  }, [scene, goTo, set]);
}

/** An area is drawn on the map when something waits for one. */
function useDrawing(scene: Scene | null): void {
  const { drawing, set } = useScreen();
  useEffect(() => {
    if (!scene || !drawing) return;
    return whileDrawing(scene.map, drawing.kind, (area) => {
      drawing.done(area);
      set({ drawing: null });
    });
  }, [scene, drawing, set]);
}

/** From this zoom on a click on an area means the street there. */
const STREETS_FROM = 14.5;

/** A click sets a word that waits for a place; otherwise it tells about the street under it. */
function useClicks(scene: Scene | null, study: string): void {
  const { picking, mode, stage, drawing, measuring } = useScreen();
  const { data: sheet } = useSheet(study);
  const { change } = useSheetActions(study);
  useEffect(() => {
    if (!scene || drawing) return;
    scene.map.getCanvas().style.cursor = picking || measuring ? "crosshair" : "";
    return scene.onClick((lng, lat, x, y) => {
      if (measuring) {
        useScreen.getState().set({ measuring: [...measuring, [lng, lat]] });
        return;
      }
      const block = sheet?.blocks.find((b): b is QuestionBlock => b.kind === "question" && b.id === picking?.question);
      if (picking && block) {
        void (async () => {
          const { slot } = picking;
          const name = await streetName(study, [lng, lat], String(block.inputs.mode ?? "walk"));
          const against = slot === "against" ? ((block.inputs.against ?? {}) as Against) : null;
          const former = against ? against.closures : block.inputs[slot];
          const kept = isPointSet(former) ? former.features : [];
          const set: PointSet = { type: "FeatureCollection", features: [...kept, pointFeature(lng, lat, name)] };
          const more = slot === "waypoints" && set.features.length < 2;
          if (!more) useScreen.getState().set({ picking: null });
          await change(block, { ...block.inputs, [slot]: against ? { ...against, closures: set } : set });
        })();
        return;
      }
      if (stage === "sources") {
        const { chosen, layer, set } = useScreen.getState();
        const hit = layer ? scene.layerAt(x, y)[0] : undefined;
        if (hit !== undefined) set({ chosen: chosen.includes(hit) ? chosen.filter((fid) => fid !== hit) : [...chosen, hit] });
        return;
      }
      if (stage === "handout") return;
      if (stage === "sheet") {
        const { row, set } = useScreen.getState();
        const hit = scene.rowAt(x, y);
        // Among streets one looks at streets; from afar, and at buttons and circles, at what the table holds.
        if (hit && (hit.point || scene.map.getZoom() < STREETS_FROM)) {
          set({ row: hit.name === row ? null : hit.name, street: null, notice: null });
          return;
        }
      }
      const { question, at } = useScreen.getState();
      const asked = stage === "sheet" ? (sheet?.blocks.find((b) => b.kind === "question" && b.id === question) as QuestionBlock | undefined)?.inputs : undefined;
      const questionMode = asked?.mode ?? mode;
      const hour = stage === "modes" ? at : ((asked?.at as string | null | undefined) ?? null);
      near(study, lng, lat, String(questionMode), 12 * Math.max(metresPerPixel(scene), 0.5), hour).then(
        (street) => useScreen.getState().set({ street, notice: null }),
        (error: unknown) => useScreen.getState().set({ street: null, notice: stage === "sheet" ? null : message(error) }),
      );
    });
  }, [scene, picking, study, sheet, change, mode, stage, drawing, measuring]);
}
