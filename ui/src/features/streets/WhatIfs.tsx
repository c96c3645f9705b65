/** The what-ifs of a study: described, dated, copied, merged into the streets, dropped. */
import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { copyWhatIf, dropWhatIf, mergeWhatIf, saveWhatIf, whatIfsOf, type WhatIf } from "../../api/edits";
import { message } from "../../api/client";
import type { Overview } from "../../api/studies";
import { clock } from "../../common/format";
import { Committed } from "../../controls/inline";
import { SlipMembers } from "./SlipMembers";
import { useEditing } from "../../state/editing";
import { useScreen } from "../../state/screen";

export function WhatIfs({ overview }: { overview: Overview }) {
  const { id, whatIfs } = overview;
  const version = whatIfs.map((one) => one.version).join();
  const { data, error } = useQuery({ queryKey: ["what-ifs", id, version], queryFn: () => whatIfsOf(id), enabled: whatIfs.length > 0, placeholderData: keepPreviousData, meta: { panel: "own" } });
  if (error) return <p className="problem" role="alert">{message(error)}</p>;
  if (whatIfs.length === 0 || !data) return null;
  return (
    <>
      <h2><Trans>What-ifs</Trans></h2>
      <ul className="slips" aria-label={t`What-ifs`}>
        {data.map((one) => (
          <Slip key={one.id} overview={overview} one={one} />
        ))}
      </ul>
    </>
  );
}

function Slip({ overview, one }: { overview: Overview; one: WhatIf }) {
  const { scope, setScope, tell } = useScreen("scope", "setScope", "tell");
  const { act } = useEditing(overview);
  const queries = useQueryClient();
  const doing = (what: Promise<unknown>) =>
    void what.then(
      () => {
        void queries.invalidateQueries({ queryKey: ["overview", overview.id] });
        void queries.invalidateQueries({ queryKey: ["what-ifs", overview.id] });
        void queries.invalidateQueries({ queryKey: ["answer", overview.id] });
      },
      (error: unknown) => tell(message(error)),
    );
  const put = (part: Partial<WhatIf>) => doing(saveWhatIf(overview.id, { ...one, ...part }));
  return (
    <li className={scope === one.id ? "slip chosen" : "slip"}>
      <p className="question">
        <Trans>
          What if <Committed label={t`Title`} value={one.title} kind="place" onCommit={(title) => put({ title })} />, from{" "}
          <Committed label={t`Date`} value={one.date} kind="time" placeholder={t`no date`} onCommit={(date) => put({ date })} />?
        </Trans>
      </p>
      <p>
        <Committed label={t`Description`} value={one.description} kind="way" placeholder={t`What it is about`} onCommit={(description) => put({ description })} />
      </p>
      <SlipMembers overview={overview} one={one} put={put} />
      <p className="faint">
        {plural(one.edits, { one: "# edit", other: "# edits" })}, <Trans>changed {clock(one.changed)}</Trans>
      </p>
      <div className="block-tools">
        <button className="linkish" onClick={() => setScope(scope === one.id ? null : one.id)}>{scope === one.id ? t`Back to the streets` : t`Edit it`}</button>
        <button className="linkish" onClick={() => doing(copyWhatIf(overview.id, one.id, t`${one.title}, another`))}><Trans>Copy</Trans></button>
        <button
          className="linkish"
          disabled={one.edits === 0}
          onClick={() => {
            setScope(null);
            void act(mergeWhatIf(overview.id, one.id), () => t`"${one.title}" is part of the streets now.`);
          }}
        >
          <Trans>Merge into the streets</Trans>
        </button>
        <button
          className="linkish"
          onClick={() => {
            if (scope === one.id) setScope(null);
            doing(dropWhatIf(overview.id, one.id));
          }}
        >
          <Trans>Drop</Trans>
        </button>
      </div>
    </li>
  );
}
