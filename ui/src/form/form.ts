/** A form for a colleague: blanks, a map to click, one button; the answer below. Its texts come with the page. */
import { FormMap } from "./map";
import { PointField, valuesOf } from "./points";
import { follow, outcome, Refused, search, start, stop } from "./runs";

/** Letters after which an address is looked for, and how long nobody must have typed. */
const TYPED = 3;
const RESTED_MS = 250;
const RUN = "run";

const within = <T extends HTMLElement>(id: string) => document.getElementById(id) as T | null;

/** Make a form of the page work. */
export function bring(page: Document): void {
  const form = page.getElementById("form");
  const [state, problem, shown, halt] = [within("state"), within("problem"), within("outcome"), within<HTMLButtonElement>("stop")];
  if (!form || !state || !problem || !shown || !halt) return;
  const address = form.dataset.address ?? "";
  const words = state.dataset;
  const fields = [...form.querySelectorAll<HTMLInputElement>("[data-kind=points]")].map((input) => new PointField(input, words));
  const map = mapOf(fields);
  let running: string | null = null;

  const fault = (text: string, names: string[] = []) => {
    problem.textContent = text;
    problem.hidden = text === "";
    for (const input of form.querySelectorAll<HTMLElement>("[name], [data-name]")) {
      const name = input.getAttribute("name") ?? input.dataset.name ?? "";
      input.toggleAttribute("aria-invalid", names.includes(name));
    }
    if (names.length) form.querySelector<HTMLElement>("[aria-invalid]")?.focus();
  };
  const busy = (text: string) => {
    state.textContent = text;
    halt.hidden = text === "";
  };
  const show = async (id: string) => {
    shown.innerHTML = await outcome(address, id);
    shown.focus({ preventScroll: true });
    shown.scrollIntoView({ block: "start" });
    history.replaceState(null, "", `?${RUN}=${id}`);
  };
  const failed = (error: unknown) => fault(error instanceof Refused && error.message ? error.message : (words.failed ?? ""), error instanceof Refused ? error.inputs : []);

  const answer = async () => {
    fault("");
    busy(words.asking ?? "");
    shown.replaceChildren();
    let run: string | null = null;
    try {
      run = (await start(address, valuesOf(form, fields))).jobID;
      running = run;
      const ended = await follow(run, ({ message, progress }) => busy(`${message}, ${progress} %`));
      if (running !== run) return;
      if (ended === "dismissed") fault(words.stopped ?? "");
      else await show(run);
    } catch (error) {
      failed(error);
    } finally {
      if (running === run) busy("");
    }
  };
  form.addEventListener("submit", (event) => {
    event.preventDefault();
    void answer();
  });
  halt.addEventListener("click", () => {
    if (running) void stop(running);
  });
  for (const field of fields) suggest(field, map);
  const former = new URLSearchParams(location.search).get(RUN);
  if (former) show(former).catch((error: unknown) => (error instanceof Refused && error.status === 404 ? fault(words.gone ?? "") : failed(error)));
}

/** The map, where a blank takes points; the blank that was filled last is filled by its clicks. */
function mapOf(fields: PointField[]): FormMap | null {
  const element = within("map");
  if (!element || fields.length === 0) return null;
  element.hidden = false;
  let active = fields[0];
  for (const field of fields) field.input.addEventListener("focus", () => (active = field));
  return new FormMap(element, fields, () => active);
}

/** Offer addresses for what is typed into a blank. */
function suggest(field: PointField, map: FormMap | null): void {
  const list = within("hits");
  const address = within("map")?.dataset.search ?? "";
  let timer = 0;
  field.input.addEventListener("input", () => {
    clearTimeout(timer);
    list?.replaceChildren();
    map?.draw();
    const typed = field.input.value.trim();
    if (typed.length < TYPED) return;
    timer = window.setTimeout(() => {
      search(address, typed).then(
        (hits) => {
          if (field.input.value.trim() !== typed) return;
          const rows = hits.slice(0, 6).map((hit) => {
            const row = document.createElement("li");
            const choose = row.appendChild(document.createElement("button"));
            choose.type = "button";
            choose.textContent = `${hit.name}, ${hit.what}`;
            choose.addEventListener("click", () => {
              map?.fill(field, [hit.lon, hit.lat], hit.name);
              map?.lookAt([hit.lon, hit.lat]);
              list?.replaceChildren();
              field.input.focus();
            });
            return row;
          });
          list?.replaceChildren(...rows);
        },
        // An address can be sent as it was typed.
        () => undefined,
      );
    }, RESTED_MS);
  });
}
