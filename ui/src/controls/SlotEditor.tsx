/** The editor of one word. It opens in the flow under its sentence and hides neither figure nor map. */
import type { ComponentType } from "react";
import type { Control, Differing, Inputs, LayerSet, ProcessInfo, Slot } from "../api/inputs";
import { isGiven, valueOf } from "../api/inputs";
import type { Overview } from "../api/studies";
import { useSheetActions, type QuestionBlock } from "../state/sheet";
import { AgainstEditor } from "./AgainstEditor";
import { ChainEditor } from "./ChainEditor";
import { ChoiceEditor, CostsEditor, SeveralEditor } from "./ChoiceEditors";
import type { ControlProps } from "./control";
import { DiffersEditor } from "./DiffersEditor";
import { FieldEditor, FieldsEditor } from "./FieldEditors";
import { HoursEditor } from "./HoursEditor";
import { LimitEditor, LimitsEditor } from "./LimitEditors";
import { MeasuresEditor } from "./MeasuresEditor";
import { MomentEditor } from "./MomentEditor";
import { ModeEditor } from "./ModeEditor";
import { NumberEditor } from "./NumberEditor";
import { NamesEditor, RoomEditor, SharesEditor, SweepEditor, WindowEditor } from "./RunEditors";
import { AnswersEditor } from "./AnswersEditor";
import { WhatIfsEditor } from "./WhatIfsEditor";
import { PlaceEditor } from "./PlaceEditor";
import { fitted } from "./sentence";

/** How each kind of word is changed. */
const CONTROLS: Record<Control, ComponentType<ControlProps>> = {
  mode: ModeEditor,
  choice: ChoiceEditor,
  several: SeveralEditor,
  costs: CostsEditor,
  moment: ({ value, put }) => <MomentEditor value={(value ?? null) as string | null} put={put} />,
  hours: ({ value, put, block }) => <HoursEditor value={(value ?? []) as number[]} day={block.inputs.at ?? null} put={put} />,
  place: PlaceEditor,
  closures: PlaceEditor,
  chain: ({ overview, value, put }) => <ChainEditor overview={overview} value={(value ?? []) as LayerSet[]} put={put} />,
  rules: ({ overview, value, put, block, slot }) => <DiffersEditor overview={overview} value={(value ?? []) as Differing[]} put={put} layer={block.inputs[slot.of ?? ""]} />,
  measures: ({ overview, block, putAll, slot }) => <MeasuresEditor overview={overview} inputs={block.inputs} words={slot.words ?? {}} put={putAll} />,
  comparison: ({ block, name, overview, process, value, put }) => <AgainstEditor block={block} name={name} overview={overview} slots={process["x-awl"].slots} value={(value ?? null)} put={put} />,
  field: FieldEditor,
  fields: FieldsEditor,
  number: NumberEditor,
  limit: LimitControl,
  limits: LimitControl,
  "what-ifs": WhatIfsEditor,
  answers: AnswersEditor,
  window: WindowEditor,
  room: RoomEditor,
  shares: SharesEditor,
  sweep: SweepEditor,
  names: NamesEditor,
};

type Props = { block: QuestionBlock; process: ProcessInfo; name: string; slot: Slot; overview: Overview };

export function SlotEditor(props: Props) {
  const { block, process, name, slot, overview } = props;
  const { change } = useSheetActions(overview.id);
  const putAll = (inputs: Inputs) => void change(block, inputs);
  const put = (next: unknown) => {
    const { [name]: former, ...rest } = block.inputs;
    void former;
    const inputs = withoutOrphans(next === undefined ? rest : { ...block.inputs, [name]: next }, process["x-awl"].slots);
    putAll(slot.control === "choice" ? fitted(process, inputs, overview.layers) : inputs);
  };
  const Editor = CONTROLS[slot.control];
  // The editor is seen whole, above what stands at the foot of the page.
  return (
    <div className="editor" role="group" aria-label={slot.label} ref={seen}>
      <Editor {...props} value={valueOf(block.inputs, name, slot)} put={put} putAll={putAll} />
    </div>
  );
}

/** Inputs without those that need another one that is no longer given. */
function withoutOrphans(inputs: Inputs, slots: Record<string, Slot>): Inputs {
  const needs = (name: string) => slots[name]?.offer?.needs ?? [];
  return Object.fromEntries(Object.entries(inputs).filter(([name]) => needs(name).every((other) => isGiven(inputs[other]))));
}

const seen = (element: HTMLElement | null) => element?.scrollIntoView?.({ block: "nearest" });

/** Limits in minutes or metres, whichever the question counts; where it can count both, a word changes that. */
function LimitControl({ slot, value, put, putAll, process, block }: ControlProps) {
  const measure = measureOf(process, block.inputs);
  const putMeasure = slot.usual ? (next: string) => putAll({ ...block.inputs, measure: next, [nameOf(process, slot)]: slot.usual?.[next] }) : null;
  const props = { metres: measure === "distance", putMeasure };
  if (slot.control === "limits") return <LimitsEditor key={measure} value={value as number[]} put={put} {...props} />;
  return <LimitEditor key={measure} value={(value ?? null) as number | null} put={put} needed={slot.needed ?? false} {...props} />;
}

const nameOf = (process: ProcessInfo, slot: Slot) => Object.entries(process["x-awl"].slots).find(([, one]) => one === slot)?.[0] ?? "";

/** What the limits of a question count: `time` or `distance`. */
export function measureOf(process: ProcessInfo, inputs: Inputs): string {
  const measure = inputs.measure ?? process.inputs.measure?.schema.default;
  return typeof measure === "string" ? measure : "time";
}
