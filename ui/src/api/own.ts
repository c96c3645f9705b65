/** Awl's own addresses: overview, sheet, arrays, intake. Not part of the documented API. */
import { checked, fetchJson, ProblemError, sendJson, type StatusInfo } from "./client";
import { decodePacked, type Packed } from "./packed";

export type Inputs = Record<string, unknown>;
export type LayerInfo = {
  id: string;
  title: string;
  role: string;
  source: string;
  added: string;
  geometry: string;
  count: number;
  fields: Record<string, string>;
};
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
  usable_km: number;
  total_km: number;
  links_usable: number;
  speed_sources: { source: string; km: number }[];
  parts: { count: number; left_out_km: number; left_out_links: number };
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
  stamp: string;
  build: BuildReport | null;
  formerBuild: BuildReport | null;
  layers: LayerInfo[];
  modes: ModeInfo[];
  bounds: [number, number, number, number] | null;
};
export type Block =
  | { id: string; kind: "prose"; text: string }
  | { id: string; kind: "question"; process: string; inputs: Inputs; title?: string };
export type SheetDoc = { id: string; title: string; blocks: Block[]; undo: number; changed: string };
export type Slot = {
  kind: "place" | "mode" | "amount" | "time" | "way";
  label: string;
  words?: Record<string, string>;
  default: unknown;
};
export type ProcessInfo = {
  id: string;
  title: string;
  description: string;
  "x-awl": {
    opening: string;
    sentences: { when: Inputs; text: string }[];
    slots: Record<string, Slot>;
  };
};
export type Street = {
  link_id: number;
  name: string | null;
  highway: string;
  distance_m: number;
  length_m: number;
  from_node_id: number;
  to_node_id: number;
  osm_way_id: number;
  tags: Record<string, string>;
  usable: boolean;
  reason: string;
  speed_kmh: number;
  speed_source: string;
  forward_s: number | null;
  backward_s: number | null;
  line: { type: "LineString"; coordinates: [number, number][] };
};
export type JobInfo = StatusInfo & {
  problem?: { title: string; detail: string };
  result?: { study: string; layers?: string[]; report?: object };
};

export const listStudies = () => fetchJson<{ studies: { id: string; title: string }[] }>("/studies");
export const overview = (study: string) => fetchJson<Overview>(`/studies/${study}/overview`);
export const getSheet = (study: string) => fetchJson<SheetDoc>(`/studies/${study}/sheet`);
export const putSheet = (study: string, sheet: { title: string; blocks: Block[] }) =>
  sendJson<SheetDoc>(`/studies/${study}/sheet`, "PUT", sheet);
export const undoSheet = (study: string) => sendJson<SheetDoc>(`/studies/${study}/sheet/undo`, "POST");

export async function processes(study: string): Promise<ProcessInfo[]> {
  const { processes: listed } = await fetchJson<{ processes: { id: string }[] }>(`/studies/${study}/processes`);
  return Promise.all(listed.map(({ id }) => fetchJson<ProcessInfo>(`/studies/${study}/processes/${id}`)));
}

export function near(study: string, lon: number, lat: number, mode: string, within = 60): Promise<Street> {
  return fetchJson(`/studies/${study}/near?lon=${lon}&lat=${lat}&mode=${mode}&within=${within}`);
}

async function packed(path: string, init?: RequestInit): Promise<Packed> {
  const response = await checked(await fetch(path, init));
  return decodePacked(await response.arrayBuffer());
}

export const streetArrays = (study: string) => packed(`/studies/${study}/arrays/streets`);
export const modeArrays = (study: string, mode: string) => packed(`/studies/${study}/arrays/modes/${mode}`);
export const liveReach = (study: string, inputs: Inputs, signal?: AbortSignal) =>
  packed(`/studies/${study}/live/reach`, {
    method: "POST",
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify({ inputs }),
    ...(signal ? { signal } : {}),
  });

export type LineRoles = {
  street_class: string | null;
  name: string | null;
  speed: string | null;
  direction: string | null;
  level: string | null;
  forward: string;
  backward: string;
  both: string;
  default_class: string;
};
export type IncomingLayer = {
  name: string | null;
  geometry: "point" | "line" | "polygon" | "mixed" | "empty";
  count: number;
  fields: Record<string, string[]>;
  length_km?: number;
  roles?: LineRoles;
  known?: Record<string, number>;
};
/** A file that waits at the server until it is decided what it is. */
export type Incoming = { token: string; name: string; layers: IncomingLayer[] };
type LineWords = {
  study: string | null;
  layer: string | null;
  fields: Record<string, string>;
  tolerance: number;
  first_node: number;
  nodes_layer: string | null;
  nodes_field: string | null;
};
export const receive = (file: File, onProgress: (share: number) => void) => send<Incoming>("/incoming", file, onProgress);
export const buildLines = (token: string, words: LineWords) => sendJson<JobInfo>(`/incoming/${token}/streets`, "POST", words);
export const dismissIncoming = (token: string) => sendJson<unknown>(`/incoming/${token}`, "DELETE");

/** Send a file; resolves to its job. Progress of the sending itself is reported from 0 to 1. */
export const upload = (path: string, file: File, onProgress: (share: number) => void) => send<JobInfo>(path, file, onProgress);

function send<T>(path: string, file: File, onProgress: (share: number) => void): Promise<T> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", `${path}?name=${encodeURIComponent(file.name)}`);
    request.setRequestHeader("Content-Type", "application/octet-stream");
    request.upload.onprogress = (event) => onProgress(event.total ? event.loaded / event.total : 0);
    request.onerror = () =>
      reject(
        new ProblemError({ type: "", title: "Sending failed", status: 0, detail: "The file could not be sent. Try again." }),
      );
    request.onload = () => {
      const body = JSON.parse(request.responseText) as T & { detail: string; title: string };
      if (request.status >= 400) {
        reject(new ProblemError({ type: "", title: body.title, status: request.status, detail: body.detail }));
      } else {
        resolve(body);
      }
    };
    request.send(file);
  });
}

const pause = (ms: number) => new Promise((done) => setTimeout(done, ms));

/** Follow a job until it ends. */
export async function follow(id: string, onStatus: (job: JobInfo) => void): Promise<JobInfo> {
  for (let wait = 60; ; wait = Math.min(wait * 1.4, 600)) {
    const job = await fetchJson<JobInfo>(`/jobs/${id}`);
    onStatus(job);
    if (job.status !== "accepted" && job.status !== "running") return job;
    await pause(wait);
  }
}

/** Keep the collections of an answer as layers of the study. */
export const keepAnswer = (study: string, question: string) =>
  sendJson<{ layers: string[] }>(`/studies/${study}/answers/${encodeURIComponent(question)}/keep`, "POST");

export const stopJob = (id: string) => sendJson<JobInfo>(`/jobs/${id}`, "DELETE");
