import type { Results } from "../../api/client";

/** The look of every table of results: hairlines, no boxes. */
export const GRID = {
  border: 0,
  font: "var(--t-table)",
  color: "var(--ink)",
  "--DataGrid-t-header-background-base": "var(--page)",
  "--DataGrid-t-color-background-base": "var(--page)",
  "--DataGrid-containerBackground": "var(--page)",
  "--DataGrid-rowBorderColor": "var(--rule)",
  backgroundColor: "var(--page)",
  "& .MuiDataGrid-columnHeader, & .MuiDataGrid-cell": { padding: "0 6px" },
  "& .MuiDataGrid-scrollbarFiller, & .MuiDataGrid-filler, & .MuiDataGrid-columnHeaders .MuiDataGrid-filler": { background: "var(--page) !important" },
  "& .MuiDataGrid-columnHeaders": { borderBottom: "1px solid var(--ink)" },
  "& .MuiDataGrid-columnHeader": { background: "var(--page)", alignItems: "end", paddingBottom: "3px" },
  "& .MuiDataGrid-columnHeaderTitle": { font: "400 11.5px/14px var(--sans)", color: "var(--ink-2)", whiteSpace: "normal", textAlign: "inherit" },
  "& .MuiDataGrid-columnHeader--alignRight .MuiDataGrid-columnHeaderTitle": { textAlign: "right" },
  "& .MuiDataGrid-columnSeparator": { display: "none" },
  "& .MuiDataGrid-cell": { lineHeight: "22px", borderColor: "var(--rule)" },
  "& .MuiDataGrid-row:hover": { background: "var(--sunk)" },
  "& .MuiDataGrid-row.Mui-selected, & .MuiDataGrid-row.Mui-selected:hover": {
    background: "var(--thread-wash)",
    fontWeight: 600,
    boxShadow: "inset 3px 0 0 var(--thread)",
  },
  "& .MuiDataGrid-cell:focus": { outline: "none" },
  "& .MuiDataGrid-cell:focus-visible": { outline: "1.5px solid var(--thread)", outlineOffset: -2 },
  "& .MuiDataGrid-sortIcon, & .MuiDataGrid-iconButtonContainer .MuiIconButton-root": { color: "var(--thread)" },
  "& .MuiDataGrid-footerContainer": { minHeight: 26, borderColor: "var(--rule)" },
  "& .MuiTablePagination-root": { overflow: "hidden", color: "var(--ink-2)" },
  "& .MuiTablePagination-toolbar": { minHeight: 26, padding: 0 },
  "& .MuiTablePagination-displayedRows": { font: "var(--t-small)", margin: 0 },
  "& .MuiTablePagination-actions .MuiIconButton-root": { padding: "2px" },
};

/** Where a row keeps its key: no field of the data can have this name, while `id` is a common one. */
export const KEY = ":row";
export type Row = { [KEY]: number } & Record<string, unknown>;
export const keyOf = (row: Row) => row[KEY];

/** Rows of a part: features' properties, or records. */
export function rowsOf(result: Results, name: string): Row[] {
  const part = result[name] as { features?: { properties: object }[] } | object[] | undefined;
  const records = Array.isArray(part) ? part : (part?.features ?? []).map(({ properties }) => properties);
  return records.map((record, i) => ({ ...record, [KEY]: i }));
}
