/** The table of a layer: rows are selected here and on the map alike, values of the user's own layers are changed where they stand. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { DataGrid, type GridColDef, type GridRowId } from "@mui/x-data-grid";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo, useRef, useState } from "react";
import { layerTable, putValue } from "../../api/layers";
import type { Overview } from "../../api/studies";
import { figure, words } from "../../common/format";
import { isChangedMeanwhile, message } from "../../api/client";
import { useScreen } from "../../state/screen";
import { GRID, KEY, keyOf, type Row } from "../results/grid";
import { CHANGEABLE } from "./LayerPage";

/** Columns shown without asking; the rest are in the export. */
const MOST_COLUMNS = 40;

const latest = (one: string, other: string) => (one > other ? one : other);

export default function LayerTable({ overview, ident, close }: { overview: Overview; ident: string; close: () => void }) {
  const queries = useQueryClient();
  const { chosen, choose } = useScreen("chosen", "choose");
  const [only, setOnly] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  /** The version that the last change made here led to: the next may come before the overview knows of it. */
  const own = useRef("");
  const info = overview.layers.find(({ id }) => id === ident);
  const { data } = useQuery({ queryKey: ["layer-table", overview.id, ident, info?.added], queryFn: () => layerTable(overview.id, ident), enabled: !!info, staleTime: Infinity });
  const every = useMemo(() => rowsOf(data?.columns ?? {}), [data]);
  const picked = useMemo(() => new Set(chosen), [chosen]);
  const rows = only && chosen.length > 0 ? every.filter((row) => picked.has(keyOf(row))) : every;
  if (!info) return null;
  const isOwn = CHANGEABLE.includes(info.role);
  const fields = Object.entries(info.fields).slice(0, MOST_COLUMNS);
  const columns: GridColDef<Row>[] = fields.map(([field, type]) => {
    const numeric = type === "INTEGER" || type === "REAL";
    return {
      field,
      headerName: words(field),
      type: numeric ? "number" : "string",
      editable: isOwn,
      minWidth: numeric ? 84 : 120,
      flex: numeric ? 1 : 1.6,
      valueFormatter: (value: unknown) => (value === null || value === undefined ? "–" : typeof value === "number" ? figure(value, Number.isInteger(value) ? 0 : 3) : String(value)),
    };
  });
  const save = async (after: Row, before: Row) => {
    const field = Object.keys(after).find((key) => after[key] !== before[key]);
    if (!field) return before;
    setProblem(null);
    try {
      const { layer } = await putValue(overview.id, ident, latest(info.added, own.current), keyOf(after), field, after[field] ?? null);
      own.current = layer.added;
      await queries.invalidateQueries({ predicate: ({ queryKey }) => ["overview", "answer", "layer"].includes(String(queryKey[0])) });
      return after;
    } catch (error) {
      setProblem(message(error));
      // What it was changed to elsewhere is shown, so that it can be changed from there.
      if (isChangedMeanwhile(error)) await queries.invalidateQueries({ queryKey: ["overview"] });
      return before;
    }
  };
  return (
    <>
      <div className="results-head">
        <h2>{info.title}</h2>
        {problem && <span role="alert">{problem}</span>}
        <div className="side">
          <span>
            <Trans>{figure(rows.length)} of {figure(info.count)} rows</Trans>
          </span>
          {chosen.length > 0 && (
            <button className="linkish" aria-pressed={only} onClick={() => setOnly(!only)}>
              {only ? t`All rows` : t`Selected rows only`}
            </button>
          )}
          <a href={`/studies/${overview.id}/export/layers/${ident}?format=csv`}><Trans>CSV</Trans></a>
          <button className="linkish" onClick={close}>
            <Trans>Close</Trans>
          </button>
        </div>
      </div>
      <div className="results-table wide">
        <DataGrid
          rows={rows}
          getRowId={keyOf}
          columns={columns}
          rowHeight={23}
          columnHeaderHeight={30}
          pageSizeOptions={[100]}
          hideFooter={rows.length <= 100}
          disableColumnMenu
          hideFooterSelectedRowCount
          checkboxSelection
          rowSelectionModel={{ type: "include", ids: new Set<GridRowId>(chosen) }}
          onRowSelectionModelChange={({ type, ids }) => {
            const named = [...ids].map(Number);
            choose(type === "include" ? named : rows.map(keyOf).filter((id) => !ids.has(id)));
          }}
          processRowUpdate={save}
          sx={GRID}
        />
      </div>
    </>
  );
}

/** Columns turned into rows, known by their feature's number. */
export function rowsOf(columns: Record<string, unknown[]>): Row[] {
  const { fid = [], ...rest } = columns;
  const names = Object.keys(rest);
  return fid.map((id, i) => ({ ...Object.fromEntries(names.map((name) => [name, rest[name]?.[i] ?? null])), [KEY]: Number(id) }));
}
