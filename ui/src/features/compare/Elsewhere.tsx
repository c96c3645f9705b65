/** Answers of other sheets and other studies, with which one can be compared. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { KeptOne } from "../../api/inputs";
import { message } from "../../api/client";
import { listStudies } from "../../api/studies";
import { Word } from "../../controls/inline";
import { useAskedAnswers } from "../../state/sheet";
import { useScreenValue } from "../../state/screen";

type Props = { study: string; process: string; onChoose: (answer: KeptOne) => void };

export function Elsewhere({ study, process, onChoose }: Props) {
  const open = useScreenValue((screen) => screen.sheet);
  const [other, setOther] = useState(study);
  const { data: listed } = useQuery({ queryKey: ["studies"], queryFn: listStudies, meta: { panel: "page", what: t`The studies` } });
  const { data: known, error } = useAskedAnswers(other);
  const studies = (listed?.studies ?? []).filter(({ problem }) => !problem);
  const here = other === study;
  const asked = (known?.asked ?? []).filter((one) => one.process === process && !(here && one.sheet === open));
  const copies = here ? [] : (known?.answers ?? []).filter((one) => one.process === process);
  const offered = [...asked.map(({ id, title, sheet_title: sheet }) => [id, t`${title} of ${sheet}`]), ...copies.map(({ id, title }) => [id, `'${title}'`])] as [string, string][];
  const options = studies.map(({ id, title }): [string, string] => [id, id === study ? t`this study` : title]);
  return (
    <div>
      <p>
        <Trans>
          Of other sheets of <Word kind="place" label={t`Study of the other answer`} value={other} options={options.length ? options : [[study, t`this study`]]} onChange={setOther} />:
        </Trans>{" "}
        {offered.map(([id, words]) => (
          <span key={id}>
            <button className="linkish" onClick={() => onChoose(here ? { answer: id } : { answer: id, study: other })}>{words}</button>{" "}
          </span>
        ))}
        {known && offered.length === 0 && <span className="faint"><Trans>no answer of this kind</Trans></span>}
      </p>
      {error && <p className="problem" role="alert">{message(error)}</p>}
    </div>
  );
}
