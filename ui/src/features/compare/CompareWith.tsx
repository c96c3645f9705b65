/** What an answer can be compared with, and how it is kept as it stands. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { message } from "../../api/client";
import { follow, forgetCopy, keepCopy, type Overview } from "../../api/studies";
import { clock } from "../../common/format";
import { Committed } from "../../controls/inline";
import { questionNames } from "../../state/blocks";
import { useKeptCopies, useSheet, type QuestionBlock } from "../../state/sheet";
import { comparable, type Comparable } from "../../state/comparable";
import { useComparing } from "./comparing";
import { Elsewhere } from "./Elsewhere";

export function CompareWith({ overview, block, made, close }: { overview: Overview; block: QuestionBlock; made: string | undefined; close: () => void }) {
  const { data: sheet } = useSheet(overview.id);
  const { data: copies = [] } = useKeptCopies(overview.id);
  const queries = useQueryClient();
  const compare = useComparing(overview);
  const [state, setState] = useState<"idle" | "keeping" | "kept">("idle");
  const [fault, setFault] = useState<string | null>(null);
  const [elsewhere, setElsewhere] = useState(false);
  const blocks = sheet?.blocks ?? [];
  const names = questionNames(blocks);
  const others = comparable(blocks, copies, block.process).filter(({ id }) => id !== block.id);
  const nameOf = ({ id, title }: Pick<Comparable, "id" | "title">) => (title ? `'${title}'` : (names[id] ?? id));
  const isCopy = (id: string) => copies.some((copy) => copy.id === id);
  const again = () => queries.invalidateQueries({ queryKey: ["kept", overview.id] });
  const keep = async (title: string) => {
    setState("keeping");
    setFault(null);
    try {
      const ended = await follow((await keepCopy(overview.id, block.id, title)).jobID, () => undefined);
      if (ended.status !== "successful") throw new Error(ended.problem?.detail ?? ended.message);
      await again();
      setState("kept");
    } catch (error) {
      setState("idle");
      setFault(message(error));
    }
  };
  const forget = (id: string) => forgetCopy(overview.id, id).then(again, (error: unknown) => setFault(message(error)));
  return (
    <div className="editor compare-with" role="group" aria-label={t`Compare`}>
      {others.length === 0 ? (
        <p className="faint"><Trans>There is no other answer of this kind yet. Copy the question and change a word, or keep this answer and ask again later.</Trans></p>
      ) : (
        <p>
          <Trans>Compare with:</Trans>{" "}
          {others.map(({ id, title }) => (
            <span key={id}>
              <button className="linkish" onClick={() => { close(); compare([id, block.id]); }}>
                {nameOf({ id, title })}
              </button>{" "}
              {isCopy(id) && (
                <button className="linkish faint" aria-label={t`Forget ${nameOf({ id, title })}`} onClick={() => void forget(id)}>
                  <Trans>forget</Trans>
                </button>
              )}{" "}
            </span>
          ))}
        </p>
      )}
      {elsewhere ? (
        <Elsewhere study={overview.id} process={block.process} onChoose={(answer) => { close(); compare([answer, block.id]); }} />
      ) : (
        <p>
          <button className="linkish" onClick={() => setElsewhere(true)}><Trans>With an answer of another sheet or study</Trans></button>
        </p>
      )}
      {made && state !== "kept" && (
        <p>
          <Trans>
            Keep this answer as it stands, as{" "}
            <Committed key={made} label={t`Name of the kept answer`} kind="name" value="" placeholder={t`answer of ${clock(made)}`} onCommit={(title) => void keep(title)} />
          </Trans>{" "}
          <button className="linkish" disabled={state === "keeping"} onClick={() => void keep(t`answer of ${clock(made)}`)}>
            {state === "keeping" ? t`Keeping` : t`Keep`}
          </button>
        </p>
      )}
      {state === "kept" && <p className="notice" role="status"><Trans>Kept. It stands whatever becomes of the question.</Trans></p>}
      {fault && <p className="problem" role="alert">{fault}</p>}
      <button className="linkish" onClick={close}><Trans>Close</Trans></button>
    </div>
  );
}
