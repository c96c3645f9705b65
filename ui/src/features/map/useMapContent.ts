/** What the map and its legend show for the stage and the selected answer. */
import { t } from "@lingui/core/macro";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import type { Feature, FeatureCollection } from "geojson";
import { useMemo } from "react";
import type { Inputs } from "../../api/inputs";
import { changesOf, whatIfsOf } from "../../api/edits";
import { layerFeatures } from "../../api/layers";
import type { Packed } from "../../api/packed";
import { askOnce, cutOffLinks, type LayerInfo, type Overview } from "../../api/studies";
import { nothingShown, UNORDERED, type MapContent, type StreetsShown } from "../../map/content";
import { token } from "../../map/look";
import { nodesOf } from "../../map/nodes";
import { collection } from "../../map/shapes";
import { outlineShown, viewShown } from "../../map/view";
import { inkOf, questionNames } from "../../state/blocks";
import { useScreen } from "../../state/screen";
import { useAnswer, useSheet, type Answer, type QuestionBlock } from "../../state/sheet";
import { changesShown, findingShown, findingsShown, frequenciesShown, ground, lettersOf, linesShown, nodesShown, partsShown, reachLegend, streetsStage } from "./graphContent";
import { layerShown } from "./layerContent";
import { measureShown } from "./measured";
import { modesStage } from "./modeContent";
import { aimShown, ghostsShown, sketchShown } from "./sketching";

export function useMapContent(overview: Overview | undefined, streets: Packed | null): MapContent {
  const { study, stage, mode, question, hidden, row, street, theme, layer, chosen, label, colour, at, beside, measuring, finding, way: shownWay, overlaid, gradeLook, minute, sketch, ghosts, scope, reachOf, aim, placing, peeking, findings, frequencies, moment } = useScreen("study", "stage", "mode", "question", "hidden", "row", "street", "theme", "layer", "chosen", "label", "colour", "at", "beside", "measuring", "finding", "way", "overlaid", "gradeLook", "minute", "sketch", "ghosts", "scope", "reachOf", "aim", "placing", "peeking", "findings", "frequencies", "moment");
  const looked = useLookedAt(overview, stage === "sources" ? layer : null);
  const { data: drawnLinks } = useQuery({
    queryKey: ["layer-features", study, "streets", overview?.revision],
    queryFn: () => layerFeatures(study ?? "", "streets"),
    enabled: !!overview?.drawn,
    staleTime: Infinity,
    meta: { panel: "map", what: t`The lettering of the links` },
  });
  const { data: cutOff } = useQuery({
    queryKey: ["parts", study, overview?.revision, mode, overview?.modes.find(({ id }) => id === mode)?.changed],
    queryFn: () => cutOffLinks(study ?? "", mode),
    enabled: stage === "streets" && !!overview?.revision && overview.modes.some(({ id, problem }) => id === mode && !problem),
    staleTime: Infinity,
    meta: { panel: "map", what: t`The parts that are cut off` },
  });
  const { data: sheet } = useSheet(study);
  const { data: answer } = useAnswer(study, stage === "sheet" ? question : null);
  const block = sheet?.blocks.find((b): b is QuestionBlock => b.kind === "question" && b.id === question);
  const { data: over } = useAnswer(study, stage === "sheet" && overlaid !== question ? overlaid : null);
  const overNumber = (sheet?.blocks ?? []).filter(({ kind }) => kind === "question").findIndex(({ id }) => id === overlaid) + 1;
  const overName = overlaid ? (questionNames(sheet?.blocks ?? [])[overlaid] ?? "") : "";
  const reachBlock = sheet?.blocks.find((b): b is QuestionBlock => b.kind === "question" && b.id === reachOf);
  const reaching = useMemo(() => (reachBlock ? { inputs: reachBlock.inputs, limits: (reachBlock.inputs.limits ?? []) as number[] } : null), [reachBlock]);
  const scopeVersion = overview?.whatIfs.find(({ id }) => id === scope)?.version;
  const { data: changes } = useQuery({
    queryKey: ["what-if-changes", study, scope, overview?.revision, scopeVersion],
    queryFn: () => changesOf(study ?? "", scope ?? ""),
    enabled: stage === "streets" && !!scope && scopeVersion !== undefined,
    staleTime: Infinity,
    placeholderData: keepPreviousData,
    meta: { panel: "map", what: t`The streets the what-if changes` },
  });
  const { data: ideas } = useQuery({
    queryKey: ["what-ifs", study, overview?.whatIfs.map((one) => one.version).join()],
    queryFn: () => whatIfsOf(study ?? ""),
    enabled: stage === "streets" && !!scope,
    placeholderData: keepPreviousData,
    meta: { panel: "map", what: t`The lines the what-if adds` },
  });
  // Streets follow the time that is played a quarter of an hour at a time.
  const quarter = moment === null || !answer?.result.view.map?.moving ? null : Math.floor(moment / QUARTER) * QUARTER;
  const path = useRowPath(study, stage === "sheet" ? answer : null, row);
  return useMemo(() => {
    const content: MapContent = { ...nothingShown(), order: (stage === "sheet" && block?.order) || UNORDERED };
    if (!overview?.revision) return content;
    const nodes = nodesShown(streets, hidden);
    if (overview.drawn && nodes) content.overlays.nodes = nodesOf(nodes);
    if (overview.drawn && drawnLinks && !hidden["link-numbers"]) content.overlays.letters = lettersOf(drawnLinks, label ?? "length");
    if (stage === "sources" && looked) layerShown(content, looked.info, looked.features, chosen, hidden);
    if (stage === "streets") streetsStage(content, overview, streets, hidden, label);
    // The inks of parts would lie over those of the reach.
    if (stage === "streets" && cutOff && !reaching) partsShown(content, overview, mode, cutOff, hidden);
    if (stage === "streets" && reaching) {
      content.streets = { kind: "reach", inputs: { ...reaching.inputs, what_if: scope && !peeking ? [scope] : null }, limits: reaching.limits };
      content.bandCount = reaching.limits.length;
      reachLegend(content, reaching.limits, reaching.inputs.measure === "distance");
    }
    if (stage === "streets" && scope && ideas && !peeking) linesShown(content, ideas.find(({ id }) => id === scope)?.lines ?? []);
    if (stage === "streets" && scope && changes) changesShown(content, overview, scope, peeking ? null : changes);
    if ((stage === "streets" || stage === "sources") && findings && !finding) findingsShown(content, findings);
    if (stage === "sources" && frequencies) frequenciesShown(content, frequencies);
    if (stage === "streets" && aim) aimShown(content, aim);
    if (stage === "streets" && placing) content.groups.unshift({ title: t`Place being opened`, rows: [], note: t`Click where it is to open.` });
    if ((stage === "streets" || stage === "sources") && finding) findingShown(content, finding);
    if (stage === "streets" && ghosts) ghostsShown(content, ghosts.features);
    if (stage === "streets" && sketch) sketchShown(content, sketch);
    if (stage === "modes") modesStage(content, overview, { mode, at, colour, beside });
    if (stage === "sheet" && answer && block) {
      viewShown(content, answer.result, { hidden, row, look: gradeLook, step: quarter ?? minute, looks: block.look ?? {}, path });
      streetsShown(content, answer, hidden);
    }
    if (street && (stage === "modes" || stage === "streets" || stage === "sheet")) {
      content.overlays.selection = collection([{ type: "Feature", properties: {}, geometry: street.line }]);
    }
    if (stage === "sheet" && over) outlineShown(content, over.result, `${overName}: ${over.result.title}`, inkOf(overNumber));
    if (stage === "sheet" && shownWay && !content.overlays.routes) content.overlays.routes = collection([{ ...shownWay, properties: { colour: token("--thread") } }]);
    if (measuring) measureShown(content, measuring);
    void theme; // colours are read from the theme in force
    return overview.drawn ? content : { ...content, groups: [...content.groups, ground(overview.layers, stage === "modes")] };
  }, [overview, streets, stage, mode, answer, block, hidden, row, street, theme, looked, chosen, cutOff, label, drawnLinks, colour, at, beside, path, measuring, finding, sketch, ghosts, scope, changes, ideas, peeking, aim, placing, findings, frequencies, reaching, shownWay, over, overName, overNumber, gradeLook, minute, quarter]);
}

/** The path that the selected row of a table stands for, where the view says how to ask for it. */
function useRowPath(study: string | null, answer: Answer | null | undefined, row: string | null): Feature | null {
  const table = answer?.result.view.tables?.[0];
  const rows = (answer && table?.path ? (answer.result[table.part] ?? []) : []) as Record<string, number>[];
  const found = rows.find((one) => String(one[table?.key ?? ""]) === row);
  const places = (answer?.result[table?.path?.places ?? ""] as FeatureCollection | undefined)?.features ?? [];
  const drawn = (answer?.result[table?.path?.part ?? ""] as FeatureCollection | undefined)?.features.find((one) => String(one.properties?.[table?.key ?? ""]) === row);
  const ends = found && table?.path && !table.path.part ? [places[found[table.path.source] ?? -1], places[found[table.path.target] ?? -1]].filter((end) => end !== undefined) : [];
  const { mode, at, snap, closures, measure } = answer?.inputs ?? {};
  const inputs = { mode, at, snap, closures, measure, waypoints: collection(ends) };
  const { data } = useQuery({
    queryKey: ["row-path", study, answer?.made, row],
    queryFn: () => askOnce(study ?? "", "route", JSON.parse(JSON.stringify(inputs)) as Inputs),
    enabled: ends.length === 2,
    staleTime: Infinity,
    meta: { panel: "map", what: t`The path of this trip` },
  });
  if (drawn) return drawn;
  return ends.length === 2 ? ((data?.routes as FeatureCollection | undefined)?.features[0] ?? null) : null;
}

/** Minutes. */
const QUARTER = 15;

type Looked = { info: LayerInfo; features: FeatureCollection };

/** The layer that is looked at, with its features. */
function useLookedAt(overview: Overview | undefined, layer: string | null): Looked | null {
  const info = overview?.layers.find(({ id }) => id === layer);
  const { data } = useQuery({
    queryKey: ["layer-features", overview?.id, layer, info?.added],
    queryFn: () => layerFeatures(overview?.id ?? "", layer ?? ""),
    enabled: !!info,
    staleTime: Infinity,
    meta: { panel: "map", what: t`The features of this layer` },
  });
  return useMemo(() => (info && data ? { info, features: data } : null), [info, data]);
}

/** The streets as the view of an answer wants them. */
export function streetsShown(content: MapContent, answer: Answer, hidden: Record<string, boolean>): void {
  const { kind, limits = [], row } = answer.result.view.map?.streets ?? { kind: "plain" };
  if (kind === "plain") return;
  const reach = kind === "reach" && !(row && hidden[row]);
  content.streets = reach ? { kind: "reach", inputs: answer.inputs, limits } : modeStreets(answer.inputs);
  if (limits.length) content.bandCount = limits.length;
}

/** The streets of a question's mode at its hour. */
const modeStreets = (inputs: Inputs): StreetsShown => ({ kind: "mode", mode: String(inputs.mode), at: inputs.at ?? null, beside: null });

