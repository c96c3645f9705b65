/** The sheets of a study: which is open, and what can be done with them. */
import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { message } from "../../api/client";
import { dropSheet, makeSheet, sheetFile, type Misfit, type Overview } from "../../api/studies";
import { misfitWords } from "../../state/misfits";
import { useSheet, useSheets } from "../../state/sheet";
import { FIRST_SHEET, go, useScreen } from "../../state/screen";

export function Sheets({ overview }: { overview: Overview }) {
  const study = overview.id;
  const { data: sheets } = useSheets(study);
  const { data: open } = useSheet(study);
  const { sheet: current } = useScreen("sheet");
  const [listed, setListed] = useState(false);
  const [removing, setRemoving] = useState(false);
  const [unfit, setUnfit] = useState<{ title: string; texts: Misfit[] } | null>(null);
  const [fault, setFault] = useState("");
  const chosen = useRef<HTMLInputElement>(null);
  const queries = useQueryClient();
  if (!sheets) return <p className="dateline">{overview.title}</p>;

  const at = sheets.findIndex(({ id }) => id === current);
  const make = async (wanted: Parameters<typeof makeSheet>[1], title = "") => {
    setFault("");
    try {
      const { id, unfit: texts } = await makeSheet(study, wanted);
      setUnfit(texts.length ? { title, texts } : null);
      await queries.invalidateQueries({ queryKey: ["sheets", study] });
      setListed(false);
      go(study, "sheet", id);
    } catch (error) {
      setFault(message(error));
    }
  };
  const take = async (file: File) => {
    try {
      await make({ document: JSON.parse(await file.text()) as unknown }, file.name);
    } catch {
      setFault(t`${file.name} is no sheet file: it holds no JSON. Export a sheet and choose that file.`);
    }
  };
  const remove = async () => {
    setRemoving(false);
    try {
      await dropSheet(study, current);
      await queries.invalidateQueries({ queryKey: ["sheets", study] });
      queries.removeQueries({ queryKey: ["sheet", study, current] });
      go(study, "sheet", FIRST_SHEET);
    } catch (error) {
      setFault(message(error));
    }
  };
  const title = open?.title ?? "";
  return (
    <>
      <p className="dateline">
        {overview.title},{" "}
        <button className="linkish" aria-expanded={listed} onClick={() => setListed(!listed)}>
          {sheets.length > 1 ? t`sheet ${at + 1} of ${sheets.length}` : t`one sheet`}
        </button>
      </p>
      {listed && (
        <div className="editor" role="group" aria-label={t`Sheets`}>
          <ul className="sheets">
            {sheets.map(({ id, title: name, questions, forms }) => (
              <li key={id} aria-current={id === current ? "true" : undefined}>
                <button className="linkish" onClick={() => { setListed(false); go(study, "sheet", id); }}>{name}</button>{" "}
                <span className="faint">{plural(questions, { one: "# question", other: "# questions" })}{forms.length > 0 && `, ${plural(forms.length, { one: "# form", other: "# forms" })}`}</span>
              </li>
            ))}
          </ul>
          <div className="block-tools">
            <button className="linkish" onClick={() => void make({ title: t`Untitled sheet` })}><Trans>New sheet</Trans></button>
            <button className="linkish" onClick={() => void make({ copy_of: current, title: t`${title}, copy` })}><Trans>Copy this one</Trans></button>
            <a className="linkish" href={sheetFile(study, current)} download><Trans>This one as a file</Trans></a>
            <button className="linkish" onClick={() => chosen.current?.click()}><Trans>From a sheet file</Trans></button>
            {sheets.length > 1 && current !== FIRST_SHEET && !removing && <button className="linkish" onClick={() => setRemoving(true)}><Trans>Remove this one</Trans></button>}
          </div>
          {removing && (
            <p className="notice" role="alert">
              <Trans>Its questions, their answers and its forms go with it, for good.</Trans>{" "}
              <button className="linkish" onClick={() => void remove()}><Trans>Remove it</Trans></button>{" "}
              <button className="linkish" onClick={() => setRemoving(false)}><Trans>Keep it</Trans></button>
            </p>
          )}
          <input ref={chosen} type="file" accept=".json,application/json" hidden data-testid="sheet-file" onChange={({ currentTarget }) => {
              const [file] = currentTarget.files ?? [];
              currentTarget.value = "";
              if (file) void take(file);
            }} />
        </div>
      )}
      {fault && <p className="problem" role="alert">{fault}</p>}
      {unfit && (
        <div className="notice" role="alert">
          <p><Trans>Not all of {unfit.title} fits this study:</Trans></p>
          <ul className="method">{unfit.texts.map((one) => <li key={misfitWords(one)}>{misfitWords(one)}</li>)}</ul>
          <button className="linkish" onClick={() => setUnfit(null)}><Trans>Good to know</Trans></button>
        </div>
      )}
    </>
  );
}
