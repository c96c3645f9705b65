/** The few columns of an answer that matter; a row, its zone on the map and its place are one selection. */
import { DataGrid, type GridColDef } from "@mui/x-data-grid";
import type { Column, Results } from "../api/client";
import { figure } from "../common/format";
import type { Answer } from "../state/sheet";
import { useScreen } from "../state/store";
import { curvesOf, Spark } from "./curves";
import { GRID, KEY, keyOf, type Row } from "./grid";

export type Table = { part: string; columns: Column[] };

/** Rows of a part: features' properties, or records. */
export function rowsOf(result: Results, name: string): Row[] {
  const part = result[name] as { features?: { properties: object }[] } | object[] | undefined;
  const records = Array.isArray(part) ? part : (part?.features ?? []).map(({ properties }) => properties);
  return records.map((record, i) => ({ ...record, [KEY]: i }));
}

/** Most rows the grid shows at once. */
const PAGE = 100;

/** The columns that matter, then every other field of the rows. */
function allColumns(first: Column[], rows: Row[]): Column[] {
  const known = new Set<string>([KEY, ...first.map(({ field }) => field)]);
  const rest = Object.keys(rows[0] ?? {}).filter((field) => !known.has(field) && typeof rows[0]?.[field] !== "object");
  const digits = (field: string) => {
    const values = rows.slice(0, 100).map((row) => row[field]);
    return values.some((value) => typeof value === "string") ? null : values.every((value) => Number.isInteger(value)) ? 0 : 2;
  };
  return [...first, ...rest.map((field) => ({ field, title: field.replaceAll("_", " "), unit: "", digits: digits(field) }))];
}

/** The share within so many minutes as a small curve in each row. */
function curveColumn(curves: Map<string, number[]>): GridColDef {
  return {
    field: ":curve",
    headerName: "By minute",
    sortable: false,
    width: 66,
    renderCell: ({ row }) => <Spark values={curves.get(String((row as Row).zone)) ?? []} />,
  };
}

/** Pixels of a letter of a heading, in the mean; a word of it is never cut. */
const LETTER = 6.9;
const longestWord = (title: string) => Math.max(...title.split(" ").map(({ length }) => length));

/** The name by which a row is selected on the map. */
const nameOf = (row: Row) => String(row.zone ?? row.name ?? row.trip ?? row.fid ?? row[KEY]);

export function AnswerTable({ answer, table, rows, whole = false }: { answer: Answer; table: Table; rows: Row[]; whole?: boolean }) {
  const { row: selected, set } = useScreen();
  const columns: GridColDef[] = (whole ? allColumns(table.columns, rows) : table.columns).map(({ field, title, unit, digits }) => ({
    field,
    headerName: unit && unit !== "people" ? `${title}, ${unit}` : title,
    type: digits === null ? "string" : "number",
    flex: digits === null ? 2.3 : 1,
    minWidth: digits === null ? 80 : whole ? 84 : Math.max(56, LETTER * longestWord(title) + 13),
    align: digits === null ? "left" : "right",
    headerAlign: digits === null ? "left" : "right",
    valueFormatter: (value: unknown) => (typeof value === "number" ? figure(value, digits ?? 0) : String(value ?? "–")),
  }));
  const curves = curvesOf(answer);
  if (table.part === "zones" && curves.size > 0) columns.splice(columns.length - 1, 0, curveColumn(curves));
  const chosen = rows.find((row) => nameOf(row) === selected)?.[KEY];
  return (
    <DataGrid
      rows={rows}
      getRowId={keyOf}
      columns={columns}
      rowHeight={23}
      columnHeaderHeight={38}
      hideFooter={rows.length <= PAGE}
      pageSizeOptions={[PAGE]}
      disableColumnMenu
      hideFooterSelectedRowCount
      disableMultipleRowSelection
      rowSelectionModel={{ type: "include", ids: new Set(chosen === undefined ? [] : [chosen]) }}
      onRowClick={({ row }) => set({ row: nameOf(row as Row) === selected ? null : nameOf(row as Row) })}
      onCellKeyDown={({ row }, event) => {
        if (event.key === "Enter") set({ row: nameOf(row as Row) });
      }}
      sx={GRID}
    />
  );
}
