/** One attribute of all streets that meet a condition, changed at once. */
import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Button } from "@mui/material";
import { useState } from "react";
import { applyEdits, ofLinks } from "../../api/edits";
import type { Overview } from "../../api/studies";
import { words } from "../../common/format";
import { Committed, Word } from "../../controls/inline";
import { useEditing } from "../../state/editing";
import { screenNow } from "../../state/screen";

const ATTRIBUTES = ["maxspeed", "highway", "oneway", "access", "foot", "bicycle", "motor_vehicle", "surface", "lit", "width", "name"];
/** Stands for the links that the condition names. */
const NAMED_BY_CONDITION = 1;

export function ChangeMany({ overview }: { overview: Overview }) {
  const { act } = useEditing(overview);
  const [where, setWhere] = useState("");
  const [attribute, setAttribute] = useState("maxspeed");
  const [value, setValue] = useState("");
  const change = () => {
    const edit = ofLinks("change", [NAMED_BY_CONDITION], { [attribute]: value || null });
    void act(applyEdits(overview.id, screenNow().scope, [edit], where), ({ links }) => plural(links.length, { one: "# street is changed.", other: "# streets are changed." }));
  };
  return (
    <>
      <p className="question">
        <Trans>
          Let all streets where <Committed label={t`Condition in CQL2`} value={where} placeholder="highway = 'residential'" onCommit={setWhere} /> have{" "}
          <Word kind="way" label={t`Attribute`} value={attribute} options={ATTRIBUTES.map((one) => [one, words(one)])} onChange={setAttribute} />{" "}
          <Committed label={t`Value`} value={value} kind="amount" placeholder={t`none`} onCommit={setValue} />.
        </Trans>
      </p>
      <div className="block-tools">
        <Button size="small" disabled={!where} onClick={change}><Trans>Change them</Trans></Button>
      </div>
    </>
  );
}
