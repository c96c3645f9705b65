/** A mode in a sentence, with its speed, what binds it, and the ways to copy it, give it away or take one in. */
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useRef, useState } from "react";
import type { ModeDocument } from "../../api/modes";
import type { ModeInfo } from "../../api/studies";
import { Committed, Word } from "../../controls/inline";

type Props = {
  study: string;
  info: ModeInfo;
  undo: number;
  put: (more: Partial<ModeDocument>) => void;
  onCopy: (title: string) => void;
  onTakeIn: (file: File) => void;
  onRemove: () => void;
  onUndo: () => void;
};

export function ModeSentence({ info, fields, put }: Pick<Props, "info" | "put"> & { fields: string[] }) {
  const mode = info.document;
  const known = [...new Set([...fields, mode.measured].filter(Boolean))];
  const who = <Committed kind="mode" label={t`Who moves`} value={mode.traveller} onCommit={(traveller) => put({ traveller })} />;
  const top = <Committed kind="amount" label={t`Top speed in km/h`} value={String(mode.top_speed)} onCommit={(text) => put({ top_speed: Number(text) })} />;
  const speeds = (
    <Word
      kind="amount"
      label={t`Where speeds come from`}
      value={mode.reads_maxspeed ? "posted" : "class"}
      options={[
        ["posted", t`at the posted limit where there is one`],
        ["class", t`at the speed of the class of street`],
      ]}
      onChange={(value) => put({ reads_maxspeed: value === "posted" })}
    />
  );
  const measured = (
    <Word
      kind="amount"
      label={t`Measured speeds`}
      value={mode.measured}
      options={[["", t`at no measured speed`], ...known.map((name): [string, string] => [name, t`as measured in ${name}`])]}
      onChange={(field) => put({ measured: field })}
    />
  );
  const signs = (
    <Word
      kind="way"
      label={t`One-way streets`}
      value={mode.obeys_oneway ? "bind" : "free"}
      options={[
        ["bind", t`must obey one-way signs`],
        ["free", t`may ignore one-way signs`],
      ]}
      onChange={(value) => put({ obeys_oneway: value === "bind" })}
    />
  );
  return (
    <p className="question">
      {known.length > 0 ? (
        <Trans>
          A {who} goes at most {top} km/h, {speeds}, before that {measured}, and {signs}.
        </Trans>
      ) : (
        <Trans>
          A {who} goes at most {top} km/h, {speeds}, and {signs}.
        </Trans>
      )}
    </p>
  );
}

export function ModeActs({ study, info, undo, onCopy, onTakeIn, onRemove, onUndo }: Omit<Props, "put">) {
  const file = useRef<HTMLInputElement>(null);
  const [copying, setCopying] = useState<string | null>(null);
  return (
    <>
      <div className="block-tools" style={{ marginTop: 12 }}>
        {undo > 0 && (
          <button className="linkish" onClick={onUndo}>
            <Trans>Undo the last change</Trans>
          </button>
        )}
        <button className="linkish" onClick={() => setCopying(t`${info.title}, changed`)}>
          <Trans>Copy</Trans>
        </button>
        <a className="linkish" href={`/studies/${study}/modes/${info.id}`}>
          <Trans>Export</Trans>
        </a>
        <button className="linkish" onClick={() => file.current?.click()}>
          <Trans>Import</Trans>
        </button>
        {(!info.shipped || info.changed) && (
          <button className="linkish" onClick={onRemove}>
            {info.shipped ? t`Reset to default` : t`Remove`}
          </button>
        )}
      </div>
      <input
        ref={file}
        className="sr"
        type="file"
        aria-label={t`File with a mode`}
        data-testid="mode-file"
        onChange={(event) => {
          const chosen = event.target.files?.[0];
          if (chosen) onTakeIn(chosen);
        }}
      />
      {copying !== null && (
        <form
          className="row-form"
          onSubmit={(event) => {
            event.preventDefault();
            onCopy(copying.trim());
            setCopying(null);
          }}
        >
          <Trans>
            The copy is called <input className="slot mode text" aria-label={t`Title of the copy`} size={Math.max(copying.length, 8)} value={copying} onChange={(event) => setCopying(event.target.value)} />
            <button className="linkish" disabled={!copying.trim()}>
              Make it
            </button>
          </Trans>
        </form>
      )}
    </>
  );
}
