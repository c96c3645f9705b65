/** The editor of a place word: a layer with a filter, or points set on the map, by name, by coordinates or by node. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Autocomplete, Button, FormControlLabel, Radio, RadioGroup, TextField } from "@mui/material";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { isLayerSet, isPointSet, NO_POINTS, pointFeature, type LayerSet, type PointFeature, type PointSet } from "../api/inputs";
import { nodeAt, search, type Hit, type Overview } from "../api/studies";
import { figure } from "../common/format";
import { Committed, Word } from "./inline";
import { moved, questionNames } from "../state/blocks";
import { message } from "../api/client";
import { useProcesses, useSheet, type QuestionBlock } from "../state/sheet";
import { useScreen } from "../state/screen";
import type { ControlProps } from "./control";
import { layersFor } from "./sentence";

type Props = Pick<ControlProps, "block" | "name" | "slot" | "overview" | "value" | "put">;

/** Places: a layer with a filter, or points set on the map; of closed streets, what holds there. */
export function PlaceEditor({ block, name, slot, overview, value, put }: Props) {
  const { pick, picking, layer: looked, chosen } = useScreen("pick", "picking", "layer", "chosen");
  const points: PointSet = isPointSet(value) ? value : NO_POINTS;
  const layers = layersFor(slot, overview.layers);
  const selected = chosen.length > 0 ? layers.find(({ id }) => id === looked) : undefined;
  const closes = slot.control === "closures";
  const add = (feature: PointFeature) => put({ ...points, features: [...points.features, feature] });
  return (
    <>
      {layers.length > 0 && (
        <RadioGroup
          row
          aria-label={t`Layer`}
          value={isLayerSet(value) ? value.layer : ""}
          onChange={(event) => put({ layer: event.target.value })}
        >
          {layers.map((layer) => (
            <FormControlLabel key={layer.id} value={layer.id} label={`${figure(layer.count)} ${layer.title.toLowerCase()}`} control={<Radio size="small" />} />
          ))}
        </RadioGroup>
      )}
      {slot.nothing && value !== undefined && value !== null && (
        <Button size="small" onClick={() => put(undefined)}>
          {slot.nothing.replace(/^./, (letter) => letter.toUpperCase())}
        </Button>
      )}
      {isLayerSet(value) && <FilterField key={value.layer} layer={value} fields={Object.keys(layers.find(({ id }) => id === value.layer)?.fields ?? {})} put={put} />}
      {isLayerSet(value) && <InsideField block={block} overview={overview} value={value} put={put} />}
      {selected && (
        <div className="row">
          <Button size="small" onClick={() => put({ layer: selected.id, where: `fid IN (${chosen.join(", ")})` })}>
            {t`Take the ${chosen.length} selected of ${selected.title.toLowerCase()}`}
          </Button>
        </div>
      )}
      {points.features.length > 0 && (
        <ol>
          {points.features.map((feature, i) => (
            <li key={i}>
              <Committed
                label={t`Name of point ${i + 1}`}
                kind="place"
                value={feature.properties.name ?? t`point ${i + 1}`}
                onCommit={(title) => put({ ...points, features: points.features.map((one, k) => (k === i ? { ...one, properties: { ...one.properties, name: title } } : one)) })}
              />{" "}
              {!overview.drawn && (
                <span className="faint">
                  {feature.geometry.coordinates[1].toFixed(5)}, {feature.geometry.coordinates[0].toFixed(5)}{" "}
                </span>
              )}
              {closes && (
                <Word
                  kind="amount"
                  label={t`What holds at ${feature.properties.name ?? t`point ${i + 1}`}`}
                  value={String(feature.properties.factor ?? 0)}
                  options={[
                    ["0", t`closed`],
                    ["0.5", t`at half speed`],
                    ["0.2", t`at a fifth of the speed`],
                  ]}
                  onChange={(factor) => put({ ...points, features: points.features.map((one, j) => (i === j ? { ...one, properties: { ...one.properties, factor: Number(factor) || undefined } } : one)) })}
                />
              )}{" "}
              {i > 0 && slot.points?.ordered && (
                <button className="linkish" aria-label={t`Move ${feature.properties.name ?? t`point ${i + 1}`} up`} onClick={() => put({ ...points, features: moved(points.features, i, -1) })}>
                  <Trans>up</Trans>
                </button>
              )}{" "}
              <button
                className="linkish"
                aria-label={t`Remove ${feature.properties.name ?? t`point ${i + 1}`}`}
                onClick={() => {
                  const rest = points.features.filter((_, j) => j !== i);
                  put(rest.length === 0 && (slot.clause || slot.nothing) ? undefined : { ...points, features: rest });
                }}
              >
                <Trans>remove</Trans>
              </button>
            </li>
          ))}
        </ol>
      )}
      {slot.points && (
        <>
          <div className="row">
            <Button size="small" onClick={() => pick({ question: block.id, slot: name })} disabled={picking?.slot === name}>
              {picking?.slot === name ? t`Click the map` : points.features.length ? t`Add a point on the map` : t`Set a point on the map`}
            </Button>
          </div>
          {!overview.drawn && <NameField study={overview.id} add={(hit) => add(pointFeature(hit.lon, hit.lat, hit.name))} />}
          {!overview.drawn && <CoordinateField add={(lon, lat) => add(pointFeature(lon, lat))} />}
          {!closes && <NodeField study={overview.id} add={add} />}
        </>
      )}
    </>
  );
}

/** Only what lies inside the areas of an answer above. */
function InsideField({ block, overview, value, put }: { block: QuestionBlock; overview: Overview; value: LayerSet; put: (v: unknown) => void }) {
  const { data: sheet } = useSheet(overview.id);
  const { data: processes } = useProcesses(overview.id);
  const covers = (id: string) => processes?.find((process) => process.id === id)?.["x-awl"].covers;
  const blocks = sheet?.blocks ?? [];
  const names = questionNames(blocks);
  const above = blocks.slice(0, blocks.findIndex(({ id }) => id === block.id)).filter((one) => one.kind === "question" && covers(one.process));
  if (above.length === 0) return null;
  const { inside, ...rest } = value;
  return (
    <div className="row">
      <Trans>
        lying
        <Word
          kind="place"
          label={t`Inside which answer`}
          value={inside ?? ""}
          options={[["", t`anywhere`], ...above.map(({ id }): [string, string] => [id, t`inside ${names[id] ?? id}`])]}
          onChange={(id) => put(id ? { ...rest, inside: id } : rest)}
        />
      </Trans>
    </div>
  );
}

/** Find a place, a feature or a street by its name. */
function NameField({ study, add }: { study: string; add: (hit: Hit) => void }) {
  const [text, setText] = useState("");
  const { data: hits } = useQuery({ queryKey: ["search", study, text], queryFn: () => search(study, text), enabled: text.trim().length > 1 });
  return (
    <div className="row">
      <Trans>
        or by name, address
        <Autocomplete
          size="small"
          freeSolo
          clearOnBlur={false}
          sx={{ width: 250 }}
          options={hits ?? []}
          filterOptions={(all) => all}
          getOptionLabel={(hit) => (typeof hit === "string" ? hit : hit.name)}
          getOptionKey={(hit) => (typeof hit === "string" ? hit : `${hit.name} ${hit.lon} ${hit.lat}`)}
          inputValue={text}
          value={null}
          onInputChange={(_, next, reason) => reason !== "reset" && setText(next)}
          onChange={(_, hit) => {
            if (!hit || typeof hit === "string") return;
            setText("");
            add(hit);
          }}
          renderOption={({ key, ...props }, hit) => (
            <li key={key} {...props}>
              {hit.name} <span className="faint">&nbsp;{hit.what}</span>
            </li>
          )}
          renderInput={(params) => <TextField {...params} placeholder={t`Star Bridge`} aria-label={t`Name of a place or street`} />}
        />
      </Trans>
    </div>
  );
}

export function FilterField({ layer, fields, put }: { layer: LayerSet; fields: string[]; put: (v: unknown) => void }) {
  const [text, setText] = useState(layer.where ?? "");
  const { where: former, ...rest } = layer;
  const take = () => put(text.trim() ? { ...rest, where: text.trim() } : rest);
  return (
    <>
      <div className="row">
        <Trans>
          where
          <TextField
            size="small"
            value={text}
            placeholder={t`all of them`}
            slotProps={{ htmlInput: { "aria-label": t`Filter in CQL2`, style: { width: 190 } } }}
            onChange={(event) => setText(event.target.value)}
            onKeyDown={(event) => event.key === "Enter" && take()}
          />
          <Button size="small" onClick={take} disabled={text.trim() === (former ?? "")}>
            Take
          </Button>
        </Trans>
      </div>
      <p className="hint"><Trans>CQL2, for example seats &gt; 40. Fields: {fields.join(", ")}</Trans></p>
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
        add({ type: "Feature", properties: { name: t`node ${node_id}` }, geometry: { type: "Point", coordinates: [lon, lat] } });
        setText("");
      },
      (error: unknown) => setFault(message(error)),
    );
  };
  const valid = /^\d+$/.test(text.trim());
  return (
    <>
      <div className="row">
        <Trans>
          or at node
          <TextField
            size="small"
            value={text}
            placeholder="12"
            slotProps={{ htmlInput: { "aria-label": t`Node number`, style: { width: 70 } } }}
            onChange={(event) => setText(event.target.value)}
            onKeyDown={(event) => event.key === "Enter" && valid && take()}
          />
          <Button size="small" onClick={take} disabled={!valid}>
            Add
          </Button>
        </Trans>
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
      <Trans>
        or at
        <TextField
          size="small"
          value={text}
          placeholder="41.2990, -36.2000"
          slotProps={{ htmlInput: { "aria-label": t`Latitude, longitude`, style: { width: 140 } } }}
          onChange={(event) => setText(event.target.value)}
          onKeyDown={(event) => event.key === "Enter" && take()}
        />
        <Button size="small" onClick={take} disabled={!valid}>
          Add
        </Button>
        <span className="faint">lat, lon</span>
      </Trans>
    </div>
  );
}
