/** Edits of streets, their ledger, what-ifs, and mending findings. Awl's own addresses. */
import type { TransitRules } from "./modes";
import type { FeatureCollection, LineString, Point } from "geojson";
import { fetchJson, sendJson } from "./client";
import { sendFile } from "./studies";

export type Position = [number, number];
export type EditKind = "add" | "delete" | "reverse" | "change" | "reshape" | "split" | "join" | "separate" | "move" | "node" | "restrict" | "allow";
export type EditFeature = {
  type: "Feature";
  geometry: Point | LineString | null;
  properties: { edit: EditKind; links?: number[]; node?: number; tags?: Record<string, string | null>; note?: string };
};
export type Edits = { type: "FeatureCollection"; features: EditFeature[] };
export type Step = { step: number; made: string; undone: boolean; misfits: string[]; edits: Edits };
export type Ledger = { steps: Step[]; undo: number; redo: number };
/** What an act did: the links that are other than before, and the versions of streets and what-if now. */
export type EditOutcome = { step: number; links: number[]; edits: Edits; revision: string; version: string };
export type Mended = EditOutcome & { findings: number; unmended: number };
export type Plan = { findings: number; unmended: number; lines: FeatureCollection };
export type PlacesChange = { layer: string; close?: string; open?: FeatureCollection };
/** A line by its stops, with clock times in `first` and `last`. */
export type DrawnLine = {
  name: string;
  kind: string;
  stops: Position[];
  every_min: number;
  first: string;
  last: string;
  kmh: number;
  both_ways: boolean;
  days: "daily" | "weekdays" | "weekend";
};
export type WhatIf = {
  id: string;
  title: string;
  description: string;
  date: string;
  /** The local date and time of questions that say none; empty for none. */
  at: string;
  /** Changed members of modes by their id. */
  modes: Record<string, { top_speed?: number | null; transit?: TransitRules }>;
  places: PlacesChange[];
  /** Lines by public transport that it adds. */
  lines: DrawnLine[];
  changed: string;
  edits: number;
};
/** What came of a file of changes: the step it became, what did not fit, and how much of it was no street. */
export type TakenIn = Omit<EditOutcome, "step"> & { step: number | null; misfits: string[]; passed_over: number };

const base = (study: string) => `/studies/${study}`;
const scoped = (whatIf: string | null) => (whatIf ? `?what_if=${whatIf}` : "");

export const ledgerOf = (study: string, whatIf: string | null) => fetchJson<Ledger>(`${base(study)}/edits${scoped(whatIf)}`);
export const editsAddress = (study: string, whatIf: string | null) => `${base(study)}/edits.geojson${scoped(whatIf)}`;
export const changeAddress = (study: string, whatIf: string | null, extract: string | null) =>
  `${base(study)}/edits.osc?${new URLSearchParams({ ...(whatIf ? { what_if: whatIf } : {}), ...(extract ? { extract } : {}) }).toString()}`;
export const takeIn = (study: string, whatIf: string | null, extract: string | null, file: File) =>
  sendFile<TakenIn>(`${base(study)}/edits/osm-change?${new URLSearchParams({ name: file.name, ...(whatIf ? { what_if: whatIf } : {}), ...(extract ? { extract } : {}) }).toString()}`, file, () => undefined);
/** The streets a what-if puts in, changes and takes out, as lines. */
export const changesOf = (study: string, whatIf: string) => fetchJson<FeatureCollection>(`${base(study)}/what-ifs/${whatIf}/changes`);
export const applyEdits = (study: string, whatIf: string | null, edits: EditFeature[], where: string | null = null) =>
  sendJson<EditOutcome>(`${base(study)}/edits`, "POST", { what_if: whatIf, edits, where });
export const undoEdits = (study: string, whatIf: string | null) => sendJson<EditOutcome>(`${base(study)}/edits/undo`, "POST", { what_if: whatIf });
export const redoEdits = (study: string, whatIf: string | null) => sendJson<EditOutcome>(`${base(study)}/edits/redo`, "POST", { what_if: whatIf });

type Wanted = { kind: string; numbers: number[] | null; fix: string };
export const planMending = (study: string, wanted: Wanted) => sendJson<Plan>(`${base(study)}/check/mend`, "POST", { ...wanted, preview: true });
export const mend = (study: string, whatIf: string | null, wanted: Wanted) => sendJson<Mended>(`${base(study)}/check/mend`, "POST", { ...wanted, what_if: whatIf });

export const whatIfsOf = (study: string) => fetchJson<{ what_ifs: WhatIf[] }>(`${base(study)}/what-ifs`).then(({ what_ifs }) => what_ifs);
export const newWhatIf = (study: string, title: string) => sendJson<WhatIf>(`${base(study)}/what-ifs`, "POST", { title });
export const saveWhatIf = (study: string, { id, title, description, date, at, modes, places, lines }: WhatIf) => sendJson<WhatIf>(`${base(study)}/what-ifs/${id}`, "PUT", { title, description, date, at, modes, places, lines });
export const copyWhatIf = (study: string, id: string, title: string) => sendJson<WhatIf>(`${base(study)}/what-ifs/${id}/copy`, "POST", { title });
export const mergeWhatIf = (study: string, id: string) => sendJson<EditOutcome>(`${base(study)}/what-ifs/${id}/merge`, "POST");
export const dropWhatIf = (study: string, id: string) => sendJson<unknown>(`${base(study)}/what-ifs/${id}`, "DELETE");

/** A new street along corners. */
export const added = (line: Position[], tags: Record<string, string | null>): EditFeature => ({
  type: "Feature",
  geometry: { type: "LineString", coordinates: line },
  properties: { edit: "add", tags },
});

/** An edit of links, at a place where one matters. */
export const ofLinks = (edit: EditKind, links: number[], tags?: Record<string, string | null>, place?: Position): EditFeature => ({
  type: "Feature",
  geometry: place ? { type: "Point", coordinates: place } : null,
  properties: { edit, links, ...(tags ? { tags } : {}) },
});

/** An edit of a junction, at a place where one matters. */
export const ofNode = (edit: EditKind, node: number, more: { links?: number[]; tags?: Record<string, string | null>; place?: Position } = {}): EditFeature => ({
  type: "Feature",
  geometry: more.place ? { type: "Point", coordinates: more.place } : null,
  properties: { edit, node, ...(more.links ? { links: more.links } : {}), ...(more.tags ? { tags: more.tags } : {}) },
});
