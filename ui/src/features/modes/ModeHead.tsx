/** A mode in a sentence, with its speed, what binds it, and the ways to copy it, give it away or take one in. */
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
  return (
    <p className="question">
      A <Committed kind="mode" label="Who moves" value={mode.traveller} onCommit={(traveller) => put({ traveller })} /> goes at most{" "}
      <Committed kind="amount" label="Top speed in km/h" value={String(mode.top_speed)} onCommit={(text) => put({ top_speed: Number(text) })} /> km/h,{" "}
      <Word
        kind="amount"
        label="Where speeds come from"
        value={mode.reads_maxspeed ? "posted" : "class"}
        options={[
          ["posted", "at the posted limit where there is one"],
          ["class", "at the speed of the class of street"],
        ]}
        onChange={(value) => put({ reads_maxspeed: value === "posted" })}
      />

      {(fields.length > 0 || mode.measured) && (
        <>
          , before that{" "}
          <Word kind="amount" label="Measured speeds" value={mode.measured} options={[["", "at no measured speed"], ...[...new Set([...fields, mode.measured].filter(Boolean))].map((name): [string, string] => [name, `as measured in ${name}`])]} onChange={(measured) => put({ measured })} />
        </>
      )}
      , and{" "}
      <Word
        kind="way"
        label="One-way streets"
        value={mode.obeys_oneway ? "bind" : "free"}
        options={[
          ["bind", "must obey one-way signs"],
          ["free", "may ignore one-way signs"],
        ]}
        onChange={(value) => put({ obeys_oneway: value === "bind" })}
      />
      .
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
            Undo the last change
          </button>
        )}
        <button className="linkish" onClick={() => setCopying(`${info.title}, changed`)}>
          Copy
        </button>
        <a className="linkish" href={`/studies/${study}/modes/${info.id}`}>
          Export
        </a>
        <button className="linkish" onClick={() => file.current?.click()}>
          Import
        </button>
        {(!info.shipped || info.changed) && (
          <button className="linkish" onClick={onRemove}>
            {info.shipped ? "Reset to default" : "Remove"}
          </button>
        )}
      </div>
      <input
        ref={file}
        className="sr"
        type="file"
        aria-label="File with a mode"
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
          The copy is called <input className="slot mode text" aria-label="Title of the copy" size={Math.max(copying.length, 8)} value={copying} onChange={(event) => setCopying(event.target.value)} />
          <button className="linkish" disabled={!copying.trim()}>
            Make it
          </button>
        </form>
      )}
    </>
  );
}
