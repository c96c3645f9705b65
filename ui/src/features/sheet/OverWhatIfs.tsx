/** The key figures of one question as the study is, and with each what-if: a column for each. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQueries } from "@tanstack/react-query";
import { message, type Figure } from "../../api/client";
import type { Inputs } from "../../api/inputs";
import { askOnce, type Overview } from "../../api/studies";
import { figure } from "../../common/format";
import type { QuestionBlock } from "../../state/sheet";

export function OverWhatIfs({ overview, block, close }: { overview: Overview; block: QuestionBlock; close: () => void }) {
  const columns = [{ id: "", title: t`As it is`, version: "" }, ...overview.whatIfs];
  const inputs = Object.fromEntries(Object.entries(block.inputs).filter(([name]) => name !== "what_if")) as Inputs;
  const modes = overview.modes.map(({ changed }) => changed).join();
  const asked = useQueries({
    queries: columns.map(({ id, version }) => ({
      queryKey: ["over-what-ifs", overview.id, overview.revision, modes, version, id, block.process, inputs],
      queryFn: () => askOnce(overview.id, block.process, id ? { ...inputs, what_if: [id] } : inputs),
      staleTime: Infinity,
      retry: false,
      meta: { panel: "own" },
    })),
  });
  const figuresOf = (nth: number) => (asked[nth]?.data?.figures ?? []) as Figure[];
  const labels = asked.map((_, nth) => figuresOf(nth)).find((figures) => figures.length > 0) ?? [];
  const failed = asked.find(({ error }) => error)?.error;
  return (
    <div className="editor" role="group" aria-label={t`Over what-ifs`}>
      <table className="plain">
        <thead>
          <tr>
            <th />
            {columns.map(({ id, title }) => (
              <th key={id} className="n">{title}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {labels.map(({ label, unit }) => (
            <tr key={label}>
              <td>{unit ? t`${label}, ${unit}` : label}</td>
              {columns.map(({ id }, nth) => (
                <td key={id} className="n">{shown(figuresOf(nth).find((one) => one.label === label)?.value)}</td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      {asked.some(({ isPending }) => isPending) && <p className="faint" role="status"><Trans>Asking once more for each what-if</Trans></p>}
      {failed && <p className="problem" role="alert">{message(failed)}</p>}
      <button className="linkish" onClick={close}><Trans>Close</Trans></button>
    </div>
  );
}

const shown = (value: Figure["value"] | undefined) => (typeof value === "number" ? figure(value, Number.isInteger(value) ? 0 : 2) : (value ?? "–"));
