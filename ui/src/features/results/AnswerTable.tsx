/** The few columns of an answer that matter; a row, its zone on the map and its place are one selection. */
import { t } from "@lingui/core/macro";
import { DataGrid, useGridApiRef, type GridColDef } from "@mui/x-data-grid";
import { useEffect } from "react";
import type { Column, Results, TableView } from "../../api/client";
import { figure } from "../../common/format";
import type { Answer } from "../../state/sheet";
import { useScreen } from "../../state/screen";
import { curvesOf, Spark } from "./curves";
import { GRID, KEY, keyOf, type Row } from "./grid";

/** Most rows the grid shows at once. */
const PAGE = 100;

/** The columns that matter, then every other field of the rows, as the schema has it. */
function allColumns(first: Column[], schema: Results["schema"][string], rows: Row[]): Column[] {
  const known = new Set<string>(first.map(({ field }) => field));
  const rest = schema.filter(({ name }) => !known.has(name) && typeof rows[0]?.[name] !== "object");
  const digits = { integer: 0, number: 2, boolean: null, text: null };
  return [...first, ...rest.map(({ name, type, unit }) => ({ field: name, title: name.replaceAll("_", " "), unit: unit ?? "", digits: digits[type] }))];
}

/** The share within so many minutes as a small curve in each row. */
function curveColumn(curves: Map<string, number[]>, key: string): GridColDef {
  return {
    field: ":curve",
    headerName: t`By minute`,
    sortable: false,
    width: 66,
    renderCell: ({ row }) => <Spark values={curves.get(String((row as Row)[key])) ?? []} />,
  };
}

/** Pixels of a letter of a heading, in the mean; a word of it is never cut. */
const LETTER = 6.9;
const longestWord = (title: string) => Math.max(...title.split(" ").map(({ length }) => length));

/** Letters of the longest value of a column, by some rows of all parts of the table. */
function longestValue(rows: Row[], field: string, said: (value: unknown) => string): number {
  const every = Math.ceil(rows.length / PAGE);
  return rows.reduce((longest, row, i) => (i % every === 0 || i === rows.length - 1 ? Math.max(longest, said(row[field]).length) : longest), 0);
}

/** Pixels of a letter and of a figure of a table. */
const [TEXT_LETTER, DIGIT] = [6.3, 6.6];
/** Pixels that are kept free for texts: for any, for the names of rows, and where all columns are shown, beyond the width there is. */
const [TEXT_LEAST, NAME_MOST, TEXT_MOST] = [80, 104, 150];

/** The share of the width that a text column takes, a number column taking 1: more where its texts are long. What fits into `most` pixels is not cut. */
function textWidth(rows: Row[], field: string, most: number): { flex: number; minWidth: number } {
  const longest = longestValue(rows, field, (value) => String(value ?? ""));
  return { flex: Math.min(Math.max(longest / 9, 2.3), 6), minWidth: Math.min(Math.max(TEXT_LETTER * longest + 16, TEXT_LEAST), most) };
}

/** The least width of a number column: no word of its heading and no figure is cut. */
function numberWidth(rows: Row[], field: string, title: string, digits: number): number {
  const longest = longestValue(rows, field, (value) => (typeof value === "number" ? figure(value, digits) : ""));
  return Math.max(54, LETTER * longestWord(title) + 9, DIGIT * longest + 13);
}

/** Headings of more letters than fit in two lines get a third. */
const TWO_LINES = 20;

export default function AnswerTable({ answer, table, rows, whole = false }: { answer: Answer; table: TableView; rows: Row[]; whole?: boolean }) {
  const { row: selected, selectRow } = useScreen("row", "selectRow");
  /** The value by which a row is selected on the map. */
  const nameOf = (row: Row) => String(row[table.key ?? KEY] ?? row[KEY]);
  const columns: GridColDef[] = (whole ? allColumns(table.columns, answer.result.schema[table.part] ?? [], rows) : table.columns).map(({ field, title, unit, digits }, i) => ({
    field,
    headerName: unit && unit !== "people" ? `${title}, ${unit}` : title,
    type: digits == null ? "string" : "number",
    ...(digits == null ? textWidth(rows, field, whole ? TEXT_MOST : i === 0 ? NAME_MOST : TEXT_LEAST) : { flex: 1, minWidth: Math.max(whole ? 84 : 0, numberWidth(rows, field, title, digits)) }),
    align: digits == null ? "left" : "right",
    headerAlign: digits == null ? "left" : "right",
    valueFormatter: (value: unknown) => (typeof value === "number" ? figure(value, digits ?? 0) : String(value ?? "–")),
  }));
  const curves = curvesOf(answer.result, table.curves, table.key);
  if (curves.size > 0) columns.splice(columns.length - 1, 0, curveColumn(curves, table.key ?? KEY));
  const chosen = rows.find((row) => nameOf(row) === selected)?.[KEY];
  const grid = useGridApiRef();
  useEffect(() => {
    const rowIndex = chosen === undefined ? -1 : (grid.current?.getSortedRowIds().indexOf(chosen) ?? -1);
    if (rowIndex < 0) return;
    // What was chosen on the map may be on another page, whose rows are there with the next picture.
    grid.current?.setPage(Math.floor(rowIndex / PAGE));
    const picture = requestAnimationFrame(() => grid.current?.scrollToIndexes({ rowIndex }));
    return () => cancelAnimationFrame(picture);
  }, [grid, chosen]);
  return (
    <DataGrid
      apiRef={grid}
      rows={rows}
      getRowId={keyOf}
      columns={columns}
      rowHeight={23}
      columnHeaderHeight={columns.some(({ headerName = "" }) => headerName.length > TWO_LINES) ? 52 : 38}
      hideFooter={rows.length <= PAGE}
      pageSizeOptions={[PAGE]}
      disableColumnMenu
      hideFooterSelectedRowCount
      disableMultipleRowSelection
      rowSelectionModel={{ type: "include", ids: new Set(chosen === undefined ? [] : [chosen]) }}
      onRowClick={({ row }) => selectRow(nameOf(row as Row) === selected ? null : nameOf(row as Row))}
      onCellKeyDown={({ row }, event) => {
        if (event.key === "Enter") selectRow(nameOf(row as Row));
      }}
      sx={GRID}
    />
  );
}
