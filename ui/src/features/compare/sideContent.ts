/** What each of two maps shows of its answer: the same classes in both, so that a colour means the same. */
import type { LegendGroup, MapContent } from "../../map/content";
import { nothingShown } from "../../map/content";
import { breaks } from "../../map/choropleth";
import { featuresOf, viewShown, type GradeLook } from "../../map/view";
import type { Answer } from "../../state/sheet";
import { streetsShown } from "../map/useMapContent";

/** The content of two maps, one answer each, and the one legend of both. */
export function sideContents(answers: readonly [Answer, Answer], hidden: Record<string, boolean>, look: GradeLook): { contents: [MapContent, MapContent]; groups: LegendGroup[] } {
  const shared = sharedLook(answers, look);
  const [first, second] = answers.map((answer) => sideContent(answer, hidden, shared)) as [MapContent, MapContent];
  return { contents: [first, second], groups: first.groups.map(uncounted) };
}

function sideContent(answer: Answer, hidden: Record<string, boolean>, look: GradeLook): MapContent {
  const content = nothingShown();
  viewShown(content, answer.result, { hidden, row: null, look, step: null, looks: {}, path: null });
  streetsShown(content, answer, hidden);
  return content;
}

/** Classes made of the values of both answers, where each would make its own. */
function sharedLook(answers: readonly [Answer, Answer], look: GradeLook): GradeLook {
  const layer = answers[0].result.view.map?.layers?.find(({ grades }) => grades);
  const graded = layer?.grades?.fields.find(({ field }) => field === look.field) ?? layer?.grades?.fields[0];
  if (!layer || !graded || look.own) return look;
  const values = answers.flatMap(({ result }) => featuresOf(result, layer.part).map(({ properties }) => properties?.[graded.field] as unknown));
  const numbers = values.filter((value): value is number => typeof value === "number" && Number.isFinite(value));
  if (numbers.length === 0) return look;
  const classing = look.field === null && look.classing === "equal" ? (layer.grades?.classing ?? "equal") : look.classing;
  const own = breaks(numbers, classing === "counts" || classing === "own" ? "equal" : classing, graded.breaks ?? undefined);
  return { field: graded.field, classing: "own", own };
}

/** A group of the legend without the counts of one answer. */
function uncounted({ grades, ...group }: LegendGroup): LegendGroup {
  void grades;
  return { ...group, rows: group.rows.map(({ count, ...row }) => { void count; return row; }) };
}
