/** The editor of one word. It opens in the flow under its sentence and hides neither figure nor map. */
import { Button, Checkbox, FormControlLabel, Radio, RadioGroup, Slider, TextField } from "@mui/material";
import { useState, type ReactNode } from "react";
import { nodeAt, type Overview, type Slot } from "../api/own";
import { Word } from "../common/words";
import { message, useSheetActions, type QuestionBlock } from "../state/sheet";
import { useScreen } from "../state/store";
import { isLayerSet, isPointSet, measureWord, pointFeature, type PointFeature, type PointSet } from "./words";

type Props = { block: QuestionBlock; name: string; slot: Slot; overview: Overview };

export function SlotEditor(props: Props) {
  const { block, name, slot, overview } = props;
  const { change } = useSheetActions(overview.id);
  const value = block.inputs[name] === undefined ? slot.default : block.inputs[name];
  const put = (next: unknown) => {
    const inputs = { ...block.inputs, [name]: next };
    if (next === undefined) delete inputs[name];
    void change(block, inputs);
  };
  let body: ReactNode;
  if (name === "measure" && block.process === "route") body = <Measures value={value} put={put} slot={slot} overview={overview} mode={String(block.inputs.mode ?? "walk")} />;
  else if (name === "at") body = <MomentEditor value={value as string | null} put={put} />;
  else if (slot.words) body = <Choice value={String(value)} words={slot.words} label={slot.label} put={put} />;
  else if (slot.kind === "place") body = <PlaceEditor {...props} value={value} put={put} />;
  else if (name === "fields") body = <FieldEditor {...props} value={value as string[]} put={put} />;
  else if (name === "limits") body = <LimitsEditor value={value as number[]} put={put} />;
  else body = <LimitEditor value={value as number | null} put={put} />;
  return (
    <div className="editor" role="group" aria-label={slot.label}>
      {body}
    </div>
  );
}

/** A local date and time; none is free flow. */
function MomentEditor({ value, put }: { value: string | null; put: (v: string | null) => void }) {
  const [text, setText] = useState(value ?? "2026-06-03T08:00");
  return (
    <>
      <div className="row">
        <TextField
          size="small"
          type="datetime-local"
          value={text}
          slotProps={{ htmlInput: { "aria-label": "Date and time" } }}
          onChange={(event) => setText(event.target.value)}
          onKeyDown={(event) => event.key === "Enter" && text && put(text)}
        />
        <Button size="small" disabled={!text} onClick={() => put(text)}>
          Take
        </Button>
        <Button size="small" disabled={value === null} onClick={() => put(null)}>
          In free flow
        </Button>
      </div>
      <p className="hint">Speeds, gates and turns of that hour hold for the whole trip. Local time.</p>
    </>
  );
}

function Choice({ value, words, label, put }: { value: string; words: Record<string, string>; label: string; put: (v: string) => void }) {
  return (
    <RadioGroup row aria-label={label} value={value} onChange={(event) => put(event.target.value)}>
      {Object.entries(words).map(([key, text]) => (
        <FormControlLabel key={key} value={key} label={text} control={<Radio size="small" />} />
      ))}
    </RadioGroup>
  );
}

function Measures({ value, put, slot, overview, mode }: { value: unknown; put: (v: unknown) => void; slot: Slot; overview: Overview; mode: string }) {
  const chosen = Array.isArray(value) ? (value as string[]) : [String(value)];
  const toggle = (key: string) => {
    const next = chosen.includes(key) ? chosen.filter((k) => k !== key) : [...chosen, key];
    if (next.length) put(next);
  };
  // A drawing has no speeds, and its length is the given weight itself.
  const usual = Object.entries(slot.words ?? {}).filter(([key]) => !overview.drawn || key === "distance");
  const own = overview.modes.find(({ id }) => id === mode)?.document.costs.map(({ id }) => id) ?? [];
  return [...usual, ...[...overview.costs, ...own].map((cost): [string, string] => [cost, measureWord(cost, slot)])].map(([key, text]) => (
    <FormControlLabel key={key} label={text} control={<Checkbox size="small" checked={chosen.includes(key)} onChange={() => toggle(key)} />} />
  ));
}

/** Limits on a ruler: stops are moved by mouse or arrow keys, or written as numbers. */
function LimitsEditor({ value, put }: { value: number[]; put: (v: number[]) => void }) {
  const [stops, setStops] = useState(value);
  const [text, setText] = useState(value.join(", "));
  const [fault, setFault] = useState<string | null>(null);
  const top = Math.max(30, Math.ceil((stops[stops.length - 1] ?? 15) / 10) * 10 + 10);
  const commit = (next: number[]) => {
    const sorted = [...new Set(next)].sort((a, b) => a - b);
    setStops(sorted);
    setText(sorted.join(", "));
    setFault(null);
    put(sorted);
  };
  const write = () => {
    const parts = text.split(/[,;\s]+/).filter(Boolean).map(Number);
    if (parts.length === 0 || parts.length > 12) return setFault("Give 1 to 12 limits in minutes, for example 5, 10, 15.");
    if (parts.some((part) => !(part > 0 && part <= 1440))) return setFault("Limits are minutes above 0 and at most 1440.");
    commit(parts);
  };
  const step = top > 60 ? 30 : 10;
  return (
    <>
      <Slider
        value={stops}
        min={0}
        max={top}
        step={1}
        marks={Array.from({ length: Math.floor(top / step) + 1 }, (_, i) => ({ value: i * step, label: String(i * step) }))}
        getAriaLabel={(i) => `Limit ${i + 1}, minutes`}
        valueLabelDisplay="auto"
        onChange={(_, next) => setStops(next.map((v) => Math.max(v, 1)))}
        onChangeCommitted={(_, next) => commit(next.map((v) => Math.max(v, 1)))}
      />
      <div className="row">
        <TextField
          size="small"
          value={text}
          error={fault !== null}
          slotProps={{ htmlInput: { "aria-label": "Limits in minutes", style: { width: 150 } } }}
          onChange={(event) => setText(event.target.value)}
          onKeyDown={(event) => event.key === "Enter" && write()}
        />
        minutes
        <Button size="small" onClick={write}>
          Take
        </Button>
      </div>
      {fault ? <p className="problem">{fault}</p> : <p className="hint">Drag a stop, or move it with the arrow keys.</p>}
    </>
  );
}

function LimitEditor({ value, put }: { value: number | null; put: (v: number | null) => void }) {
  const [text, setText] = useState(value === null ? "" : String(value));
  const number = Number(text);
  const valid = text !== "" && number > 0 && number <= 1440;
  return (
    <div className="row">
      <TextField
        size="small"
        value={text}
        placeholder="15"
        error={text !== "" && !valid}
        slotProps={{ htmlInput: { "aria-label": "Limit in minutes", style: { width: 60 } } }}
        onChange={(event) => setText(event.target.value)}
        onKeyDown={(event) => event.key === "Enter" && valid && put(number)}
      />
      minutes
      <Button size="small" disabled={!valid} onClick={() => put(number)}>
        Take
      </Button>
      <Button size="small" disabled={value === null} onClick={() => put(null)}>
        Without limit
      </Button>
    </div>
  );
}

/** Numeric fields of the zones; none ticked means all. */
function FieldEditor({ block, overview, value, put }: Props & { value: string[]; put: (v: string[]) => void }) {
  const zones = isLayerSet(block.inputs.zones) ? block.inputs.zones.layer : null;
  const layer = overview.layers.find(({ id }) => id === zones);
  const numeric = Object.entries(layer?.fields ?? {}).filter(([, type]) => type === "INTEGER" || type === "REAL");
  if (numeric.length === 0) return <p className="notice">The zones have no field with numbers.</p>;
  return (
    <>
      {numeric.map(([field]) => (
        <FormControlLabel
          key={field}
          label={field.replaceAll("_", " ")}
          control={
            <Checkbox
              size="small"
              checked={value.includes(field)}
              onChange={(_, on) => put(on ? [...value, field] : value.filter((f) => f !== field))}
            />
          }
        />
      ))}
      <p className="hint">The first leads the answer. None ticked: all of them.</p>
    </>
  );
}

/** Places: a layer with a filter, or points set on the map. */
function PlaceEditor({ block, name, overview, value, put }: Props & { value: unknown; put: (v: unknown) => void }) {
  const { set, picking } = useScreen();
  const points: PointSet = isPointSet(value) ? value : { type: "FeatureCollection", features: [] };
  const layers = overview.layers.filter(({ role }) => (name === "zones" ? role === "zones" : role === "places" || role === "zones"));
  const pick = () => set({ picking: { question: block.id, slot: name } });
  const onMap = name !== "zones";
  return (
    <>
      {name !== "closures" && layers.length > 0 && (
        <RadioGroup
          row
          aria-label="Layer"
          value={isLayerSet(value) ? value.layer : ""}
          onChange={(event) => put({ layer: event.target.value })}
        >
          {layers.map((layer) => (
            <FormControlLabel key={layer.id} value={layer.id} label={`${layer.count} ${layer.title.toLowerCase()}`} control={<Radio size="small" />} />
          ))}
        </RadioGroup>
      )}
      {name === "zones" && value !== null && block.process === "catchment" && (
        <Button size="small" onClick={() => put(null)}>
          Without zones
        </Button>
      )}
      {isLayerSet(value) && <FilterField key={value.layer} layer={value} fields={Object.keys(layers.find(({ id }) => id === value.layer)?.fields ?? {})} put={put} />}
      {points.features.length > 0 && (
        <ol>
          {points.features.map((feature, i) => (
            <li key={i}>
              {feature.properties.name ?? `point ${i + 1}`}{" "}
              {!overview.drawn && (
                <span className="faint">
                  {feature.geometry.coordinates[1].toFixed(5)}, {feature.geometry.coordinates[0].toFixed(5)}{" "}
                </span>
              )}
              {name === "closures" && (
                <Word
                  kind="amount"
                  label={`What holds at ${feature.properties.name ?? `point ${i + 1}`}`}
                  value={String(feature.properties.factor ?? 0)}
                  options={[
                    ["0", "closed"],
                    ["0.5", "at half speed"],
                    ["0.2", "at a fifth of the speed"],
                  ]}
                  onChange={(factor) => put({ ...points, features: points.features.map((one, j) => (i === j ? { ...one, properties: { ...one.properties, factor: Number(factor) || undefined } } : one)) })}
                />
              )}{" "}
              <button
                className="linkish"
                aria-label={`Remove ${feature.properties.name ?? `point ${i + 1}`}`}
                onClick={() => {
                  const rest = points.features.filter((_, j) => j !== i);
                  put(name === "closures" && rest.length === 0 ? undefined : { ...points, features: rest });
                }}
              >
                remove
              </button>
            </li>
          ))}
        </ol>
      )}
      {onMap && (
        <>
          <div className="row">
            <Button size="small" onClick={pick} disabled={picking?.slot === name}>
              {picking?.slot === name ? "Click the map" : points.features.length ? "Add a point on the map" : "Set a point on the map"}
            </Button>
          </div>
          {!overview.drawn && <CoordinateField add={(lon, lat) => put({ ...points, features: [...points.features, pointFeature(lon, lat)] })} />}
          {name !== "closures" && <NodeField study={overview.id} add={(feature) => put({ ...points, features: [...points.features, feature] })} />}
        </>
      )}
    </>
  );
}

function FilterField({ layer, fields, put }: { layer: { layer: string; where?: string }; fields: string[]; put: (v: unknown) => void }) {
  const [text, setText] = useState(layer.where ?? "");
  const take = () => put(text.trim() ? { layer: layer.layer, where: text.trim() } : { layer: layer.layer });
  return (
    <>
      <div className="row">
        where
        <TextField
          size="small"
          value={text}
          placeholder="all of them"
          slotProps={{ htmlInput: { "aria-label": "Filter in CQL2", style: { width: 190 } } }}
          onChange={(event) => setText(event.target.value)}
          onKeyDown={(event) => event.key === "Enter" && take()}
        />
        <Button size="small" onClick={take} disabled={text.trim() === (layer.where ?? "")}>
          Take
        </Button>
      </div>
      <p className="hint">CQL2, for example seats &gt; 40. Fields: {fields.join(", ")}</p>
    </>
  );
}

/** A node of the street graph by its number. */
function NodeField({ study, add }: { study: string; add: (feature: PointFeature) => void }) {
  const [text, setText] = useState("");
  const [fault, setFault] = useState<string | null>(null);
  const take = () => {
    setFault(null);
    nodeAt(study, Number(text)).then(
      ({ node_id, lon, lat }) => {
        add({ type: "Feature", properties: { name: `node ${node_id}` }, geometry: { type: "Point", coordinates: [lon, lat] } });
        setText("");
      },
      (error: unknown) => setFault(message(error)),
    );
  };
  const valid = /^\d+$/.test(text.trim());
  return (
    <>
      <div className="row">
        or at node
        <TextField
          size="small"
          value={text}
          placeholder="12"
          slotProps={{ htmlInput: { "aria-label": "Node number", style: { width: 70 } } }}
          onChange={(event) => setText(event.target.value)}
          onKeyDown={(event) => event.key === "Enter" && valid && take()}
        />
        <Button size="small" onClick={take} disabled={!valid}>
          Add
        </Button>
      </div>
      {fault && <p className="problem">{fault}</p>}
    </>
  );
}

/** Keyboard way of setting a point. */
function CoordinateField({ add }: { add: (lon: number, lat: number) => void }) {
  const [text, setText] = useState("");
  const [lat, lon] = text.split(/[,\s]+/).filter(Boolean).map(Number);
  const valid = lat !== undefined && lon !== undefined && Math.abs(lat) <= 90 && Math.abs(lon) <= 180;
  const take = () => {
    if (!valid) return;
    add(lon, lat);
    setText("");
  };
  return (
    <div className="row">
      or at
      <TextField
        size="small"
        value={text}
        placeholder="41.2990, -36.2000"
        slotProps={{ htmlInput: { "aria-label": "Latitude, longitude", style: { width: 140 } } }}
        onChange={(event) => setText(event.target.value)}
        onKeyDown={(event) => event.key === "Enter" && take()}
      />
      <Button size="small" onClick={take} disabled={!valid}>
        Add
      </Button>
      <span className="faint">lat, lon</span>
    </div>
  );
}
