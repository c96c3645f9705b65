/** Lines that wait to become streets: a sentence whose words say what each field means. */
import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import type { UploadedLayer, LineRoles, StreetWords } from "../../api/uploads";
import { figure, percent } from "../../common/format";
import { Amount, Word } from "../../controls/inline";
import { FormEnd, leave, useBuild, type FormProps } from "./form";

const NONE = "none";
const ROLES: [keyof LineRoles & ("street_class" | "name" | "speed" | "direction" | "level"), string, string][] = [
  ["street_class", "class", "way"],
  ["name", "name", "way"],
  ["speed", t`speed in km/h`, "amount"],
  ["direction", "direction", "way"],
  ["level", "level", "way"],
];

export function LineForm({ upload, study, onDone, onClose, only, crs }: FormProps & { only?: UploadedLayer; crs?: string | null }) {
  const lines = only ? [only] : upload.layers.filter(({ geometry }) => geometry === "line");
  const [layer, setLayer] = useState<UploadedLayer>(lines[0] as UploadedLayer);
  const [roles, setRoles] = useState<LineRoles>(layer.roles as LineRoles);
  const [tolerance, setTolerance] = useState("0.5");
  const [joins, setJoins] = useState<"crossings" | "ends">("crossings");
  const [first, setFirst] = useState("1");
  const [numbering, setNumbering] = useState("");
  const { state, problem, build } = useBuild(upload, onDone);
  const points = upload.layers.filter(({ geometry }) => geometry === "point");
  const numberFields = points.flatMap((nodes) => Object.keys(nodes.fields).map((field) => ({ nodes, field })));
  const put = (role: keyof LineRoles, value: string) => setRoles({ ...roles, [role]: value === NONE ? null : value });
  const values = roles.direction ? (layer.fields[roles.direction] ?? []) : [];
  const numbers = Object.keys(layer.fields).filter((name) => layer.types?.[name] === "number");

  const wanted = (): StreetWords => {
    const [nodes, field] = numbering ? (JSON.parse(numbering) as [string, string]) : [null, null];
    return {
      study,
      layer: layer.name,
      crs: crs ?? null,
      fields: Object.fromEntries(Object.entries(roles).map(([role, value]) => [role, value ?? NONE])),
      tolerance: Number(tolerance),
      break_crossings: joins === "crossings",
      first_node: Number(first),
      nodes_layer: nodes,
      nodes_field: field,
    };
  };
  const along = <Word kind="amount" label={t`Field with the cost along the line`} value={roles.cost_forward ?? NONE} options={fieldOptions(numbers)} onChange={(value) => put("cost_forward", value)} />;
  const against = (
    <Word
      kind="amount"
      label={t`Field with the cost against the line`}
      value={roles.cost_backward ?? NONE}
      options={[[NONE, t`the same`], ...numbers.map((name): [string, string] => [name, name])]}
      onChange={(value) => put("cost_backward", value)}
    />
  );
  const meeting = (
    <Word
      kind="way"
      label={t`Where lines meet`}
      value={joins}
      options={[
        ["crossings", t`where they cross at one level`],
        ["ends", t`at their end points alone`],
      ]}
      onChange={(next) => setJoins(next as "crossings" | "ends")}
    />
  );
  const gap = <Amount label={t`Tolerance in metres`} value={tolerance} onChange={setTolerance} />;
  const numbered = (
    <Word
      kind="amount"
      label={t`Numbering`}
      value={numbering}
      options={[["", t`anew`], ...numberFields.map(({ nodes, field }): [string, string] => [JSON.stringify([nodes.name, field]), t`by ${nodes.name ?? "points"}, ${field}`])]}
      onChange={setNumbering}
    />
  );
  return (
    <section className="line-form" aria-label={t`Lines to streets`} data-testid="line-form">
      <h1><Trans>Lines to streets</Trans></h1>
      <p className="prose">
        <Trans>
          <b>{upload.name}</b> holds {figure(layer.count)} lines, {figure(layer.length_km ?? 0, 1)} km. By length, {share(layer, "street_class")} have a class Awl
          knows, {share(layer, "speed")} a speed, {share(layer, "name")} a name, {share(layer, "direction")} say their direction.
        </Trans>
      </p>
      <p className="question">
        <Trans>
          Take{" "}
          {lines.length > 1 ? (
            <Word
              kind="place"
              label={t`Layer`}
              value={String(layer.name)}
              options={lines.map(({ name }) => [String(name), String(name)])}
              onChange={(name) => {
                const next = lines.find((one) => String(one.name) === name) as UploadedLayer;
                setLayer(next);
                setRoles(next.roles as LineRoles);
              }}
            />
          ) : (
            t`these lines`
          )}{" "}
          as streets, with{" "}
          {ROLES.map(([role, label, kind], i) => (
            <span key={role}>
              <Trans>
                {label} from{" "}
                <Word
                  kind={kind}
                  label={t`Field with the ${label}`}
                  value={roles[role] ?? NONE}
                  options={fieldOptions(Object.keys(layer.fields))}
                  onChange={(value) => put(role, value)}
                />
              </Trans>
              {i < ROLES.length - 1 ? ", " : ""}
            </span>
          ))}
          .
        </Trans>{" "}
        {roles.direction && (
          <Trans>
            A direction of{" "}
            {(["forward", "backward", "both"] as const).map((way) => (
              <span key={way}>
                <Trans>
                  <Word
                    kind="way"
                    label={t`Value that means ${WAYS[way]}`}
                    value={roles[way]}
                    options={[...new Set([roles[way], ...values])].map((value) => [value, value])}
                    onChange={(value) => put(way, value)}
                  />{" "}
                  means {WAYS[way]}
                </Trans>
                {way === "both" ? "" : "; "}
              </span>
            ))}
            ; anything else, both ways.
          </Trans>
        )}{" "}
        {numbers.length > 0 &&
          (roles.cost_forward ? (
            <Trans>
              A cost comes from {along} as drawn and {against} against it.
            </Trans>
          ) : (
            <Trans>A cost comes from {along}.</Trans>
          ))}{" "}
        {numbering === "" ? (
          <Trans>
            Lines meet {meeting}. Close gaps up to {gap} m. Number nodes {numbered} from <Amount label={t`First node number`} value={first} onChange={setFirst} />.
          </Trans>
        ) : (
          <Trans>
            Lines meet {meeting}. Close gaps up to {gap} m. Number nodes {numbered}.
          </Trans>
        )}
      </p>
      <Joins joins={layer.joins} />
      <Samples layer={layer} roles={roles} />
      <FormEnd state={state} problem={problem} act={t`Build streets`} onAct={() => void build(wanted())} onLeave={() => leave(upload, onClose)} />
    </section>
  );
}

/** What each way of joining makes of the lines. */
function Joins({ joins }: { joins: UploadedLayer["joins"] }) {
  if (!joins?.crossings || !joins.ends) return null;
  const { crossings, ends } = joins;
  return (
    <p className="notice">
      {crossings.broken === 0
        ? t`No line crosses or meets another between its ends; ${percent(ends.connected, 1)} of their length is connected either way.`
        : t`Broken where they cross, lines meet in ${figure(crossings.broken)} places between their ends, and ${percent(crossings.connected, 1)} of their length is connected; by end points alone ${percent(ends.connected, 1)}.`}{" "}
      {crossings.zero_length > 0 && plural(crossings.zero_length, { one: "# line has no length and is left out.", other: "# lines have no length and are left out." })}
    </p>
  );
}

const fieldOptions = (names: string[]): [string, string][] => [[NONE, t`no field`], ...names.map((name): [string, string] => [name, name])];

const WAYS = { forward: t`along the line as drawn`, backward: t`against it`, both: t`both ways` };

const share = (layer: UploadedLayer, role: string) => `${figure(100 * (layer.known?.[role] ?? 0))}%`;

/** What the chosen fields hold, so that a wrong one is seen. */
function Samples({ layer, roles }: { layer: UploadedLayer; roles: LineRoles }) {
  const rows = ROLES.filter(([role]) => roles[role]);
  if (rows.length === 0) return null;
  return (
    <table className="plain">
      <thead>
        <tr>
          <th><Trans>Meaning</Trans></th>
          <th><Trans>Field</Trans></th>
          <th><Trans>Commonest values</Trans></th>
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
