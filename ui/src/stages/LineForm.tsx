/** Lines that wait to become streets: a sentence whose words say what each field means. */
import { Button } from "@mui/material";
import { useState } from "react";
import { buildLines, dismissIncoming, type Incoming, type IncomingLayer, type JobInfo, type LineRoles } from "../api/own";
import { figure } from "../common/format";
import { message } from "../state/sheet";
import { useJob, Working } from "./working";

const NONE = "none";
const ROLES: [keyof LineRoles & ("street_class" | "name" | "speed" | "direction" | "level"), string, string][] = [
  ["street_class", "class", "way"],
  ["name", "name", "way"],
  ["speed", "speed in km/h", "amount"],
  ["direction", "direction", "way"],
  ["level", "level", "way"],
];

type Props = { incoming: Incoming; study: string | null; onDone: (job: JobInfo) => void; onClose: () => void };

export function LineForm({ incoming, study, onDone, onClose }: Props) {
  const lines = incoming.layers.filter(({ geometry }) => geometry === "line");
  const [layer, setLayer] = useState<IncomingLayer>(lines[0] as IncomingLayer);
  const [roles, setRoles] = useState<LineRoles>(layer.roles as LineRoles);
  const [tolerance, setTolerance] = useState("0.5");
  const [first, setFirst] = useState("1");
  const [numbering, setNumbering] = useState("");
  const [problem, setProblem] = useState<string | null>(null);
  const [state, run] = useJob();
  const points = incoming.layers.filter(({ geometry }) => geometry === "point");
  const numberFields = points.flatMap((nodes) => Object.keys(nodes.fields).map((field) => ({ nodes, field })));
  const put = (role: keyof LineRoles, value: string) => setRoles({ ...roles, [role]: value === NONE ? null : value });
  const values = roles.direction ? (layer.fields[roles.direction] ?? []) : [];

  async function build() {
    setProblem(null);
    const [nodes, field] = numbering ? (JSON.parse(numbering) as [string, string]) : [null, null];
    const fields = Object.fromEntries(Object.entries(roles).map(([role, value]) => [role, value ?? NONE]));
    try {
      const job = await buildLines(incoming.token, {
        study,
        layer: layer.name,
        fields,
        tolerance: Number(tolerance),
        first_node: Number(first),
        nodes_layer: nodes,
        nodes_field: field,
      });
      const ended = await run(job);
      if (ended.status === "successful") onDone(ended);
      else setProblem(ended.problem?.detail ?? `${incoming.name} was stopped. Nothing of it landed.`);
    } catch (error) {
      setProblem(message(error));
    }
  }

  const close = () => {
    void dismissIncoming(incoming.token);
    onClose();
  };
  return (
    <section className="line-form" aria-label="Lines to streets" data-testid="line-form">
      <h2>Lines to streets</h2>
      <p className="prose">
        <b>{incoming.name}</b> holds {figure(layer.count)} lines, {figure(layer.length_km ?? 0, 1)} km. By length, {share(layer, "street_class")} have a class Awl
        knows, {share(layer, "speed")} a speed, {share(layer, "name")} a name, {share(layer, "direction")} say their direction.
      </p>
      <p className="question">
        Take{" "}
        {lines.length > 1 ? (
          <Word
            kind="place"
            label="Layer"
            value={String(layer.name)}
            options={lines.map(({ name }) => [String(name), String(name)])}
            onChange={(name) => {
              const next = lines.find((one) => String(one.name) === name) as IncomingLayer;
              setLayer(next);
              setRoles(next.roles as LineRoles);
            }}
          />
        ) : (
          "these lines"
        )}{" "}
        as streets, with{" "}
        {ROLES.map(([role, label, kind], i) => (
          <span key={role}>
            {label} from{" "}
            <Word
              kind={kind}
              label={`Field with the ${label}`}
              value={roles[role] ?? NONE}
              options={[[NONE, "no field"], ...Object.keys(layer.fields).map((name): [string, string] => [name, name])]}
              onChange={(value) => put(role, value)}
            />
            {i < ROLES.length - 1 ? ", " : ". "}
          </span>
        ))}
        {roles.direction && (
          <>
            A direction of{" "}
            {(["forward", "backward", "both"] as const).map((way, i) => (
              <span key={way}>
                <Word
                  kind="way"
                  label={`Value that means ${WAYS[way]}`}
                  value={roles[way]}
                  options={[...new Set([roles[way], ...values])].map((value) => [value, value])}
                  onChange={(value) => put(way, value)}
                />{" "}
                means {WAYS[way]}
                {["; ", "; ", "; anything else, both ways. "][i]}
              </span>
            ))}
          </>
        )}
        Lines cross where their level is the same. Close gaps up to{" "}
        <Amount label="Tolerance in metres" value={tolerance} onChange={setTolerance} /> m. Number nodes{" "}
        <Word
          kind="amount"
          label="Numbering"
          value={numbering}
          options={[
            ["", "anew"],
            ...numberFields.map(({ nodes, field }): [string, string] => [JSON.stringify([nodes.name, field]), `by ${nodes.name ?? "points"}, ${field}`]),
          ]}
          onChange={setNumbering}
        />
        {numbering === "" && (
          <>
            {" "}
            from <Amount label="First node number" value={first} onChange={setFirst} />
          </>
        )}
        .
      </p>
      <Samples layer={layer} roles={roles} />
      {state && <Working state={state} />}
      {problem && (
        <p className="problem" role="alert">
          {problem}
        </p>
      )}
      <div className="row">
        <Button variant="contained" disabled={state !== null} onClick={() => void build()}>
          Build streets
        </Button>
        <Button disabled={state !== null} onClick={close}>
          Leave it
        </Button>
      </div>
    </section>
  );
}

const WAYS = { forward: "along the line as drawn", backward: "against it", both: "both ways" };

const share = (layer: IncomingLayer, role: string) => `${figure(100 * (layer.known?.[role] ?? 0))} %`;

type WordProps = { kind: string; label: string; value: string; options: [string, string][]; onChange: (value: string) => void };

/** A changeable word that is chosen from a list. */
function Word({ kind, label, value, options, onChange }: WordProps) {
  return (
    <select className={`slot ${kind}`} aria-label={label} value={value} onChange={(event) => onChange(event.target.value)}>
      {options.map(([key, text]) => (
        <option key={key} value={key}>
          {text}
        </option>
      ))}
    </select>
  );
}

/** A changeable number. */
function Amount({ label, value, onChange }: { label: string; value: string; onChange: (value: string) => void }) {
  return (
    <input
      className="slot amount"
      inputMode="decimal"
      aria-label={label}
      size={Math.max(value.length, 2)}
      value={value}
      onChange={(event) => onChange(event.target.value)}
    />
  );
}

/** What the chosen fields hold, so that a wrong one is seen. */
function Samples({ layer, roles }: { layer: IncomingLayer; roles: LineRoles }) {
  const rows = ROLES.filter(([role]) => roles[role]);
  if (rows.length === 0) return null;
  return (
    <table className="plain">
      <thead>
        <tr>
          <th>Meaning</th>
          <th>Field</th>
          <th>Commonest values</th>
        </tr>
      </thead>
      <tbody>
        {rows.map(([role, label]) => (
          <tr key={role}>
            <td>{label}</td>
            <td>{roles[role]}</td>
            <td className="faint">{(layer.fields[roles[role] ?? ""] ?? []).filter(Boolean).slice(0, 4).join(", ")}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
