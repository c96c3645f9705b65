/** Awl's own addresses: overview, sheet, arrays, importing. Not part of the documented API. */
import { t } from "@lingui/core/macro";
import { checked, fetchJson, ProblemError, sendJson, type StatusInfo } from "./client";
import type { FeatureCollection } from "geojson";
import type { Inputs, ProcessInfo } from "./inputs";
import type { ModeDocument, RuleDocument } from "./modes";
import { decodePacked, type Packed } from "./packed";

export type LayerInfo = {
  id: string;
  title: string;
  role: string;
  source: string;
  added: string;
  geometry: string;
  count: number;
  fields: Record<string, string>;
  /** The field that identifies its features; null where their number does. */
  key?: string | null;
  notes?: LayerNotes;
};
/** What was left out or repaired when a layer came in. */
export type LayerNotes = { left_out: number; left_out_named: string[]; repaired: number; repaired_named: string[] };
export type RasterInfo = {
  id: string;
  title: string;
  role: "elevation" | "population";
  source: string;
  columns: number;
  rows: number;
  cell_m: number;
  least: number;
  most: number;
  total: number;
  /** What to know before relying on it: how much of the streets it covers, whether it is used. */
  notes?: string[];
};
export type FeedFault = { code: string; text: string; file: string; line: number; lon: number | null; lat: number | null };
/** What came in with a timetable; times are seconds of the service day. */
export type FeedSummary = {
  rows: Record<string, number>;
  unread_files: string[];
  stops: number;
  stations: number;
  routes: number;
  trips: number;
  calls: number;
  kinds: { kind: string; routes: number; trips: number }[];
  first_day: string;
  last_day: string;
  trips_by_day: number[];
  first_departure_s: number | null;
  last_arrival_s: number | null;
  timezone: string;
  faults: { code: string; title: string; grade: "error" | "warning" | "note"; effect: string; count: number }[];
  listed: FeedFault[];
  /** The busiest routes, and their departures by hour of the service day on a usual day of each kind; missing in older studies. */
  lines?: { route_id: string; name: string; kind: string }[];
  departures?: Record<string, number[][]>;
  /** A usual day of each kind: weekday, saturday, sunday. */
  typical_days: Record<string, string>;
  /** West, south, east, north of the stops of a file that waits. */
  bounds?: [number, number, number, number] | null;
};
/** How the stops of all timetables are joined to the streets by a mode. */
export type JoinedStops = { mode: string; within_m: number; stops: number; joined: number; median_m: number | null; most_m: number | null; too_far: FeatureCollection };
export type TimetableInfo = { id: string; title: string; source: string; added: string; summary: FeedSummary };
export type ModeRule = {
  highway: string;
  speed_kmh: number | null;
  length_km: number;
  usable_km: number;
  oneway_km: number;
};
export type ModeInfo = {
  id: string;
  title: string;
  traveller: string;
  notes: string[];
  problem?: string;
  /** When it was changed last; empty as shipped. */
  changed: string;
  shipped: boolean;
  document: ModeDocument;
  /** Kilometres that meet each of its rules. */
  rule_km?: number[];
  barriers_shut?: number;
  /** Whether the study has heights, so that slope can count. */
  heights?: boolean;
  steep_km?: number;
  too_big_km?: number;
  ends_only_km?: number;
  turns_barred?: number;
  odd?: { link_id: number; name: string | null; highway: string; speed_kmh: number; usual_kmh: number; links: number; km: number; at: [number, number] }[];
  usable_km: number;
  total_km: number;
  links_usable: number;
  mean_kmh: number;
  speed_sources: { source: string; km: number }[];
  parts: {
    count: number;
    kept: number;
    kept_km: number;
    sizes: { rank: number; km: number; links: number }[];
    left_out_km: number;
    left_out_links: number;
    /** Links of the kept parts that no trip can leave or reach. */
    enclosed_links?: number;
    enclosed_km?: number;
  };
  rules: ModeRule[];
};
export type BuildReport = {
  ways_read: number;
  streets_read: number;
  ways_not_street: Record<string, number>;
  nodes: number;
  links: number;
  length_m: number;
  border_nodes: number;
  references_missing: number;
  ways_outside: number;
  zero_length_dropped: number;
  classes_left_out: Record<string, number>;
  barriers: Record<string, number>;
  restrictions: number;
  restrictions_not_placed: number;
  nodes_merged: number;
  nodes_off_earth?: number;
  objects_repeated?: number;
  coast_m?: number;
  coast_disputed_m?: number;
  left_out?: Record<string, number>;
  length_by_class_m: Record<string, number>;
  links_by_class: Record<string, number>;
  share_with_maxspeed: number;
  share_named: number;
  share_oneway: number;
  lines: Record<string, number>;
  source: string;
  built: string;
};
export type Overview = {
  id: string;
  title: string;
  revision: string;
  build: BuildReport | null;
  formerBuild: BuildReport | null;
  layers: LayerInfo[];
  rasters: RasterInfo[];
  timetables: TimetableInfo[];
  keepParts: { rule: "largest" | "above" | "all"; above_m: number };
  /** A graph without geography: its coordinates are a drawing, its lengths given weights. */
  drawn: boolean;
  /** Costs given with the streets, beside time and distance. */
  costs: string[];
  /** Attributes of links that can be lettered on the map. */
  streetFields: string[];
  modes: ModeInfo[];
  /** What-ifs, each with a version that changes with it. */
  whatIfs: { id: string; title: string; version: string }[];
  modeUndo: number;
  bounds: [number, number, number, number] | null;
};
/** Modes whose networks are being prepared for fast search; until then questions use the plain search. */
export type Preparation = {
  done: boolean;
  now: { modes: number; ready: number; mode: string; title: string; share: number; what: string } | null;
};
/** Looks that the analyst gave to rows of the legend, by what each row says. */
export type RowLook = { label?: string; colour?: string; width?: number };
export type Looks = Record<string, RowLook>;
export type Block =
  | { id: string; kind: "prose" | "heading"; text: string }
  | { id: string; kind: "question"; process: string; inputs: Inputs; title?: string; look?: Looks; order?: string[] };
/** A word of a question that a form asks for. */
export type Blank = { name: string; question: string; input: string; label: string; help: string; least?: number; most?: number; options?: string[]; empty: boolean; several: boolean };
/** What a form shows of a question, and gives away. */
export type Shown = { question: string; figures: boolean; map: boolean; tables: string[]; files: string[]; maps: string[] };
/** A page for colleagues: the blanks it asks for, and what it shows. */
export type Form = { id: string; title: string; text: string; author: string; assumes: string; asks: string[]; shows: Shown[] };
export type SheetBody = { title: string; blocks: Block[]; blanks: Blank[]; forms: Form[] };
export type SheetDoc = SheetBody & { id: string; undo: number; changed: string };
export type SheetListed = { id: string; title: string; questions: number; forms: { id: string; title: string }[]; changed: string };
/** Something of a sheet that does not fit its study. */
export type Misfit = { text: string; question?: number; block?: string; form?: string; blank?: string };
/** Something with a name that was found. */
export type Hit = { name: string; what: string; lon: number; lat: number };
export type Street = {
  link_id: number;
  name: string | null;
  highway: string;
  distance_m: number;
  length_m: number;
  from_node_id: number;
  to_node_id: number;
  osm_way_id: number;
  osm_way_ids: number[];
  costs: Record<string, (number | null)[]>;
  tags: Record<string, string>;
  usable: boolean;
  reason: string;
  rule: (RuleDocument & { number: number }) | null;
  barriers: string[];
  /** The nodes it begins and ends at, with their marks. */
  ends: { node_id: number; lon: number; lat: number; tags: Record<string, string> }[];
  /** Turns from it that are barred or demanded: over which node, into which street. */
  turns: { node: number; to: number; kind: string }[];
  speed_kmh: number;
  speed_source: string;
  forward_s: number | null;
  backward_s: number | null;
  /** What the mode decided, in order. */
  chain: string[];
  line: { type: "LineString"; coordinates: [number, number][] };
};
export type JobInfo = StatusInfo & {
  problem?: { title: string; detail: string };
  result?: { study: string; layers?: string[]; report?: object };
};

export type StudyListed = { id: string; title: string; problem?: string };
/** What the shelf shows of a study. */
export type StudyCard = { streets: string; street_km: number; layers: number; used: string; asked: string | null };
export const listStudies = () => fetchJson<{ studies: StudyListed[] }>("/studies");
export const studyCard = (study: string) => fetchJson<StudyCard>(`/studies/${study}/card`);
export const overview = (study: string) => fetchJson<Overview>(`/studies/${study}/overview`);
export const preparation = (study: string) => fetchJson<Preparation>(`/studies/${study}/preparation`);
const sheetAddress = (study: string, sheet: string) => `/studies/${study}/sheets/${encodeURIComponent(sheet)}`;
export const listSheets = async (study: string): Promise<SheetListed[]> => (await fetchJson<{ sheets: SheetListed[] }>(`/studies/${study}/sheets`)).sheets;
/** Make a sheet: empty, a copy of another one, or from a sheet file. */
export const makeSheet = (study: string, wanted: { title?: string; copy_of?: string; document?: unknown }) => sendJson<{ id: string; unfit: Misfit[] }>(`/studies/${study}/sheets`, "POST", wanted);
export const dropSheet = (study: string, sheet: string) => sendJson<unknown>(sheetAddress(study, sheet), "DELETE");
export const sheetFile = (study: string, sheet: string) => `${sheetAddress(study, sheet)}/file`;
/** What of a sheet does not fit the study as it is now. */
export const sheetFit = async (study: string, sheet: string): Promise<Misfit[]> => (await fetchJson<{ unfit: Misfit[] }>(`${sheetAddress(study, sheet)}/fit`)).unfit;
export const getSheet = (study: string, sheet: string) => fetchJson<SheetDoc>(sheetAddress(study, sheet));
/** Save the sheet over the version that was changed last at `over`; refused (412) where there is a newer one. */
/** Forms with the addresses that colleagues open them at; on a server that asks for tokens they hold the form's own. */
export const formAddresses = async (study: string) => (await fetchJson<{ forms: { id: string; href: string }[] }>(`/studies/${study}/forms`)).forms;
export const putSheet = (study: string, sheet: string, body: SheetBody, over: string) => sendJson<SheetDoc>(sheetAddress(study, sheet), "PUT", body, { "If-Match": `"${over}"` });
export const undoSheet = (study: string, sheet: string, over: string) => sendJson<SheetDoc>(`${sheetAddress(study, sheet)}/undo`, "POST", {}, { "If-Match": `"${over}"` });

export const processes = async (study: string): Promise<ProcessInfo[]> => (await fetchJson<{ questions: ProcessInfo[] }>(`/studies/${study}/questions`)).questions;

export const search = async (study: string, text: string): Promise<Hit[]> =>
  (await fetchJson<{ hits: Hit[] }>(`/studies/${study}/search?q=${encodeURIComponent(text)}`)).hits;

/** A question answered at once, kept nowhere. */
export const askOnce = (study: string, process: string, inputs: Inputs) =>
  sendJson<Record<string, unknown>>(`/studies/${study}/processes/${process}/execution`, "POST", { inputs });

export function near(study: string, lon: number, lat: number, mode: string, within = 60, at: string | null = null, whatIfs: string[] = []): Promise<Street> {
  return fetchJson(`/studies/${study}/near?lon=${lon}&lat=${lat}&mode=${mode}&within=${within}${at ? `&at=${at}` : ""}${asked("&", whatIfs)}`);
}

/** The part of an address that asks for the study as it would be with what-ifs. */
const asked = (mark: "?" | "&", whatIfs: string[]) => (whatIfs.length ? `${mark}what_if=${whatIfs.join(",")}` : "");

/** Arrays of the server. */
export async function packed(path: string, init?: RequestInit): Promise<Packed> {
  const response = await checked(await fetch(path, init));
  return decodePacked(await response.arrayBuffer());
}

export const streetArrays = (study: string, whatIfs: string[] = []) => packed(`/studies/${study}/arrays/streets${asked("?", whatIfs)}`);
export const modeArrays = (study: string, mode: string, at: string | null = null, whatIfs: string[] = []) =>
  packed(`/studies/${study}/arrays/modes/${mode}?${at ? `at=${at}` : ""}${asked("&", whatIfs)}`);
export const playbackArrays = (study: string, question: string) => packed(`/studies/${study}/answers/${encodeURIComponent(question)}/playback`);

/** Where the node of that number lies. */
export const nodeAt = (study: string, number: number) =>
  fetchJson<{ node_id: number; lon: number; lat: number }>(`/studies/${study}/nodes/${number}`);

/** A kind of fault that a check of the streets found. */
export type FindingKind = { kind: string; grade: "error" | "warning" | "note"; title: string; why: string; count: number };
export type Checked = { kinds: FindingKind[]; findings: FeatureCollection };
export const checkStreets = (study: string) => sendJson<JobInfo>(`/studies/${study}/check`, "POST");
export const findingsOf = (study: string) => fetchJson<Checked>(`/studies/${study}/check`);
export const setKeepParts = (study: string, rule: string, above_m: number) => sendJson<unknown>(`/studies/${study}/parts`, "PUT", { rule, above_m });
export const cutOffLinks = (study: string, mode: string) => fetchJson<FeatureCollection>(`/studies/${study}/parts/${mode}`);

type Connect = { zones: string; nearest: number; number: string | null; people: string | null; people_field: string | null };
export const connectZones = (study: string, wanted: Connect) => sendJson<JobInfo>(`/studies/${study}/connectors`, "PUT", wanted);
export const disconnectZones = (study: string) => sendJson<unknown>(`/studies/${study}/connectors`, "DELETE");

/** Send a file; progress of the sending itself is reported from 0 to 1. */
export function sendFile<T>(address: string, file: File, onProgress: (share: number) => void): Promise<T> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", address);
    request.setRequestHeader("Content-Type", "application/octet-stream");
    request.upload.onprogress = (event) => onProgress(event.total ? event.loaded / event.total : 0);
    request.onerror = () =>
      reject(
        new ProblemError({ type: "", title: t`Sending failed`, status: 0, detail: t`The file could not be sent. Try again.` }),
      );
    request.onload = () => {
      try {
        const body = JSON.parse(request.responseText) as T & { detail: string; title: string };
        if (request.status < 400) return resolve(body);
        reject(new ProblemError({ type: "", title: body.title, status: request.status, detail: body.detail }));
      } catch {
        // Whoever stands between may answer with a page of its own.
        const why = request.status === 413 ? t`It is too large.` : t`The answer was no answer of Awl (status ${request.status}).`;
        reject(new ProblemError({ type: "", title: t`Sending failed`, status: request.status, detail: t`The file could not be sent. ${why}` }));
      }
    };
    request.send(file);
  });
}

const pause = (ms: number) => new Promise((done) => setTimeout(done, ms));

export const stopJob = (id: string) => sendJson<JobInfo>(`/jobs/${id}`, "DELETE");

/** Follow a job until it ends. Once `signal` is aborted the job is stopped, and this is rejected. */
export async function follow(id: string, onStatus: (job: JobInfo) => void, signal?: AbortSignal): Promise<JobInfo> {
  const stop = () => void stopJob(id).catch(() => undefined);
  signal?.addEventListener("abort", stop);
  if (signal?.aborted) stop();
  try {
    for (let wait = 60; ; wait = Math.min(wait * 1.4, 600)) {
      const job = await fetchJson<JobInfo>(`/jobs/${id}`, signal && { signal });
      signal?.throwIfAborted();
      onStatus(job);
      if (job.status !== "accepted" && job.status !== "running") return job;
      await pause(wait);
    }
  } finally {
    signal?.removeEventListener("abort", stop);
  }
}

/** An answer that was kept as it stood. */
export type KeptCopy = { id: string; process: string; title: string; made: string };
export const keptCopies = async (study: string): Promise<KeptCopy[]> => (await fetchJson<{ answers: KeptCopy[] }>(`/studies/${study}/answers`)).answers;
/** An answer that a question of a sheet has. */
export type AskedAnswer = { id: string; process: string; title: string; sheet: string; sheet_title: string };
export const askedAnswers = (study: string) => fetchJson<{ answers: KeptCopy[]; asked: AskedAnswer[] }>(`/studies/${study}/answers`);
/** Keep an answer as it stands, to be compared with later ones. */
export const keepCopy = (study: string, question: string, title: string) =>
  sendJson<JobInfo>(`/studies/${study}/answers/${encodeURIComponent(question)}/copies`, "POST", { title });
export const forgetCopy = (study: string, id: string) => sendJson<unknown>(`/studies/${study}/answers/${encodeURIComponent(id)}`, "DELETE");

/** Keep the collections of an answer as layers of the study. */
export const keepAnswer = (study: string, question: string) =>
  sendJson<{ layers: string[] }>(`/studies/${study}/answers/${encodeURIComponent(question)}/keep`, "POST");

export const joinedStops = (study: string, mode: string) => fetchJson<JoinedStops>(`/studies/${study}/timetables/stops?mode=${encodeURIComponent(mode)}`);
/** The same of a timetable that waits. */
export const stopsOfUpload = (upload: string, study: string, mode: string, signal: AbortSignal) =>
  fetchJson<JoinedStops>(`/uploads/${upload}/stops?study=${encodeURIComponent(study)}&mode=${encodeURIComponent(mode)}`, { signal });
