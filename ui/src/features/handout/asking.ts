/* eslint-disable lingui/no-unlocalized-strings -- what other programs read is no text of the page */
/** The same question for other programs: as they would write it, ready to copy. */

export type Form = "curl" | "python" | "r" | "command";
type Asked = { study: string; process: string; inputs: Record<string, unknown> };

/** Text in single quotes for a shell. */
const quoted = (text: string) => `'${text.replaceAll("'", "'\\''")}'`;
const address = (origin: string, { study, process }: Asked) => `${origin}/studies/${study}/processes/${process}/execution`;

/** Inputs as JSON with what is given alone. */
function given(inputs: Record<string, unknown>): Record<string, unknown> {
  return Object.fromEntries(Object.entries(inputs).filter(([, value]) => value !== undefined && value !== null));
}

/** A raw string that holds any text: R and Python end one where a mark stands that the text does not hold. */
function rawR(text: string): string {
  let dashes = "";
  while (text.includes(`)${dashes}"`)) dashes += "-";
  return `r"${dashes}(${text})${dashes}"`;
}

/** JSON as a Python literal that holds it: the marks that would end it are told by their codes. */
const rawPython = (json: string) => `r"""${json.replaceAll('"""', '"\\u0022"')}"""`;

const WRITTEN: Record<Form, (asked: Asked, origin: string) => string> = {
  curl: (asked, origin) => `curl -X POST ${quoted(address(origin, asked))} \\\n  -H 'Content-Type: application/json' \\\n  -d ${quoted(JSON.stringify({ inputs: given(asked.inputs) }))}`,
  python: (asked, origin) =>
    [
      "import json",
      "import urllib.request",
      "",
      `body = ${rawPython(JSON.stringify({ inputs: given(asked.inputs) }))}`,
      `request = urllib.request.Request(${JSON.stringify(address(origin, asked))}, body.encode(), {"Content-Type": "application/json"})`,
      "answer = json.load(urllib.request.urlopen(request))",
      'print(answer["figures"])',
    ].join("\n"),
  r: (asked, origin) =>
    [
      "library(httr2)",
      "",
      `body <- ${rawR(JSON.stringify({ inputs: given(asked.inputs) }))}`,
      `answer <- request(${JSON.stringify(address(origin, asked))}) |>`,
      '  req_body_raw(body, "application/json") |>',
      "  req_perform() |>",
      "  resp_body_json()",
      "answer$figures",
    ].join("\n"),
  command: ({ study, process, inputs }) =>
    [`awl ask ${process} --study ${study}.gpkg`, ...Object.entries(given(inputs)).map(([name, value]) => `--set ${quoted(`${name}=${typeof value === "string" ? value : JSON.stringify(value)}`)}`)].join(" \\\n  "),
};

/** A question as another program asks it. */
export const askedAs = (form: Form, asked: Asked, origin: string): string => WRITTEN[form](asked, origin);
