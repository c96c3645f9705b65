/** Edits as files: GeoJSON and OSM change files, both ways. */
import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Button } from "@mui/material";
import { useState, type ChangeEvent } from "react";
import { changeAddress, editsAddress, takeIn, type EditFeature, type Edits } from "../../api/edits";
import { message } from "../../api/client";
import type { Overview } from "../../api/studies";
import { receive } from "../../api/uploads";
import { Outcome } from "../../controls/Outcome";
import { useEditing, useLedger } from "../../state/editing";
import { useScreen } from "../../state/screen";

type Extract = { name: string; token: string };

export function EditFiles({ overview }: { overview: Overview }) {
  const { scope } = useScreen("scope");
  const { data } = useLedger(overview);
  const { apply, landed } = useEditing(overview);
  const [extract, setExtract] = useState<Extract | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const [said, setSaid] = useState<string | null>(null);
  const [misfits, setMisfits] = useState<string[]>([]);
  const [busy, setBusy] = useState(false);

  const doing = async (what: () => Promise<string | null>) => {
    setBusy(true);
    setProblem(null);
    setSaid(null);
    setMisfits([]);
    try {
      setSaid(await what());
    } catch (error) {
      setProblem(message(error));
    } finally {
      setBusy(false);
    }
  };
  const readExtract = (file: File) =>
    doing(async () => {
      const { token } = await receive(file, null, () => undefined);
      setExtract({ name: file.name, token });
      return t`${file.name} tells the tags and nodes of what edits change.`;
    });
  const applyFile = (file: File) =>
    doing(async () => {
      if (!/\.osc(\.gz|\.bz2)?$/i.test(file.name)) {
        const given = JSON.parse(await file.text()) as Edits | EditFeature;
        await apply("features" in given ? given.features : [given], t`The edits of ${file.name} are done.`);
        return null;
      }
      const taken = await takeIn(overview.id, scope, extract?.token ?? null, file);
      setMisfits(taken.misfits);
      if (taken.step !== null) landed({ ...taken, step: taken.step });
      const others = taken.passed_over ? " " + plural(taken.passed_over, { one: "# element is no street.", other: "# elements are no streets." }) : "";
      return (taken.step === null ? t`Nothing of ${file.name} fits.` : plural(taken.links.length, { one: "# street changed.", other: "# streets changed." })) + others;
    });
  const edited = !!data?.steps.some(({ undone }) => !undone);

  return (
    <details className="files">
      <summary><Trans>Edits as files</Trans></summary>
      <p className="faint">
        <Trans>An OSM change file names every tag and node of the streets it changes: for it, choose the extract these streets were built from.</Trans>
      </p>
      <div className="block-tools">
        <FileButton label={t`Apply a file of edits`} accept=".geojson,.json,.osc,.gz,.bz2" disabled={busy} onFile={applyFile} />
        <FileButton label={extract ? t`Extract: ${extract.name}` : t`Choose the extract`} accept=".pbf,.osm,.gz,.bz2" disabled={busy} onFile={readExtract} />
        {edited && <a href={editsAddress(overview.id, scope)} download><Trans>Download as GeoJSON</Trans></a>}
        {edited && extract && <a href={changeAddress(overview.id, scope, extract.token)} download><Trans>Download as OSM change file</Trans></a>}
      </div>
      <Outcome said={said} problem={problem} />
      {misfits.length > 0 && (
        <ul aria-label={t`What did not fit`}>
          {misfits.slice(0, 20).map((why) => (
            <li key={why} className="problem">{why}</li>
          ))}
          {misfits.length > 20 && <li>{plural(misfits.length - 20, { one: "and # more", other: "and # more" })}</li>}
        </ul>
      )}
    </details>
  );
}

function FileButton({ label, accept, disabled, onFile }: { label: string; accept: string; disabled: boolean; onFile: (file: File) => void }) {
  const choose = (event: ChangeEvent<HTMLInputElement>) => {
    const file = event.target.files?.[0];
    event.target.value = ""; // the same file may be chosen again
    if (file) onFile(file);
  };
  return (
    <Button size="small" component="label" disabled={disabled}>
      {label}
      <input type="file" hidden accept={accept} aria-label={label} onChange={choose} />
    </Button>
  );
}
