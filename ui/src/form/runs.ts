/** Runs of a form: asked, followed until they end, stopped; and what they gave, as the server words it. */
type Job = { jobID: string; status: string; progress: number; message: string };
type Problem = { detail?: string; inputs?: string[] };

/** What the server would not do; `inputs` names the blanks it is about. */
export class Refused extends Error {
  constructor(detail: string, readonly inputs: string[], readonly status: number) {
    super(detail);
  }
}

async function checked(response: Response): Promise<Response> {
  if (response.ok) return response;
  const problem = (await response.json().catch(() => ({}))) as Problem;
  throw new Refused(problem.detail ?? "", problem.inputs ?? [], response.status);
}

const json = async <T>(response: Promise<Response>): Promise<T> => (await checked(await response)).json() as Promise<T>;

export const start = (address: string, values: Record<string, unknown>) =>
  json<Job>(fetch(`${address}/runs`, { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify({ values }) }));

export const stop = (id: string) => fetch(`/jobs/${id}`, { method: "DELETE" });

const pause = (ms: number) => new Promise((done) => setTimeout(done, ms));

/** Follow a run until it ends; its status then. */
export async function follow(id: string, onStatus: (job: Job) => void): Promise<string> {
  for (let wait = 100; ; wait = Math.min(wait * 1.4, 1000)) {
    const job = await json<Job>(fetch(`/jobs/${id}`));
    if (job.status !== "accepted" && job.status !== "running") return job.status;
    onStatus(job);
    await pause(wait);
  }
}

/** What a run gave, as HTML of the server. */
export const outcome = async (address: string, id: string): Promise<string> => (await checked(await fetch(`${address}/runs/${id}`, { headers: { Accept: "text/html" } }))).text();

export type Hit = { name: string; what: string; lon: number; lat: number };
export const search = async (address: string, text: string): Promise<Hit[]> => (await json<{ hits: Hit[] }>(fetch(address + encodeURIComponent(text)))).hits;

/** The name of the street nearest to a point, null where it has none. */
export const nearest = async (address: string, [lon, lat]: [number, number]): Promise<string | null> => (await json<{ name: string | null }>(fetch(`${address}lon=${lon}&lat=${lat}`))).name;
