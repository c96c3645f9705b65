/** What a form shows of a question, and in which formats it gives that away. */
import { t } from "@lingui/core/macro";
import { Checkbox, FormControlLabel } from "@mui/material";
import type { ProcessInfo } from "../../api/inputs";
import type { Form, Shown } from "../../api/studies";
import { words } from "../../common/format";
import { useAnswer, type QuestionBlock } from "../../state/sheet";
import { everythingOf, partsOf, shownOf, toggled, withShown } from "./forms";

const FILES: [string, string][] = [["xlsx", t`XLSX`], ["csv", t`CSV`], ["geojson", t`GeoJSON`], ["gpkg", t`GeoPackage`], ["parquet", t`Parquet`]];
const MAPS: [string, string][] = [["pdf", t`PDF`], ["png", t`PNG`], ["svg", t`SVG`]];

type Props = { study: string; block: QuestionBlock; name: string; process: ProcessInfo | undefined; form: Form; order: string[]; onChange: (form: Form) => void };

export function ShownRow({ study, block, name, process, form, order, onChange }: Props) {
  const { data: answer } = useAnswer(study, block.id);
  const shown = shownOf(form, block.id);
  const put = (next: Shown | null) => onChange(withShown(form, block.id, next, order));
  const tick = (label: string, on: boolean, change: () => void) => <FormControlLabel key={label} label={label} control={<Checkbox size="small" checked={on} onChange={change} />} />;
  return (
    <div className="shown-row" role="group" aria-label={t`What it shows of ${name}`}>
      {tick(t`Of ${name}`, shown !== null, () => put(shown ? null : everythingOf(block.id)))}
      {shown && (
        <div className="tick-row">
          {tick(t`figures`, shown.figures, () => put({ ...shown, figures: !shown.figures }))}
          {tick(t`map`, shown.map, () => put({ ...shown, map: !shown.map }))}
          {[...new Set([...partsOf(process, answer), ...shown.tables])].map((part) => tick(t`table ${words(part)}`, shown.tables.includes(part), () => put({ ...shown, tables: toggled(shown.tables, part) })))}
        </div>
      )}
      {shown && shown.tables.length > 0 && (
        <div className="tick-row" role="group" aria-label={t`Files of its tables`}>
          <span>{t`Tables as`}</span>
          {FILES.map(([ending, label]) => tick(label, shown.files.includes(ending), () => put({ ...shown, files: toggled(shown.files, ending) })))}
        </div>
      )}
      {shown && (
        <div className="tick-row" role="group" aria-label={t`Files of its map`}>
          <span>{t`Map as`}</span>
          {MAPS.map(([ending, label]) => tick(label, shown.maps.includes(ending), () => put({ ...shown, maps: toggled(shown.maps, ending) })))}
        </div>
      )}
    </div>
  );
}
