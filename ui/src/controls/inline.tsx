/** Changeable words set in a sentence: chosen from a list, written as a number or as text. */
import { useState, type ChangeEvent, type KeyboardEvent } from "react";

type WordProps = { kind: string; label: string; value: string; options: [string, string][]; onChange: (value: string) => void };

/** A changeable word that is chosen from a list. */
export function Word({ kind, label, value, options, onChange }: WordProps) {
  return (
    <select className={`slot ${kind}`} aria-label={label} value={value} onChange={(event) => onChange(event.target.value)}>
      {options.map(([key, text]) => (
        <option key={key} value={key}>
          {text}
        </option>
      ))}
    </select>
  );
}

/** A changeable number. */
export function Amount({ label, value, onChange }: { label: string; value: string; onChange: (value: string) => void }) {
  return (
    <input
      className="slot amount"
      inputMode="decimal"
      aria-label={label}
      size={Math.max(value.length, 2)}
      value={value}
      onChange={(event) => onChange(event.target.value)}
    />
  );
}

/** A changeable piece of text; it is taken when the field is left or Enter is pressed. */
export function Text({ label, value, placeholder, onChange }: { label: string; value: string; placeholder?: string; onChange: (value: string) => void }) {
  return (
    <input
      className="slot way text"
      aria-label={label}
      placeholder={placeholder}
      spellCheck={false}
      size={Math.max(value.length, placeholder?.length ?? 0, 4)}
      value={value}
      onChange={(event) => onChange(event.target.value)}
    />
  );
}

/** Characters that fit in a line of the page; longer text is written over several. */
const LINE = 34;

type CommittedProps = { label: string; value: string; kind?: string; placeholder?: string; onCommit: (value: string) => void };

/** A changeable piece of text that counts when Enter is pressed or it is left; Escape brings the former back. */
export function Committed({ label, value, kind = "way", placeholder = "", onCommit }: CommittedProps) {
  const [text, setText] = useState(value);
  const [former, setFormer] = useState(value);
  if (former !== value) {
    // The value was changed from outside, or what was written was taken.
    setFormer(value);
    setText(value);
  }
  const commit = () => {
    if (text.trim() !== value) onCommit(text.trim());
  };
  const props = {
    className: `slot ${kind} ${kind === "amount" ? "" : "text"}`,
    "aria-label": label,
    placeholder,
    spellCheck: false,
    value: text,
    onChange: (event: ChangeEvent<HTMLInputElement | HTMLTextAreaElement>) => setText(event.target.value.replaceAll("\n", " ")),
    onBlur: commit,
    onKeyDown: (event: KeyboardEvent<HTMLInputElement | HTMLTextAreaElement>) => {
      if (event.key === "Enter") {
        event.preventDefault();
        event.currentTarget.blur();
      }
      if (event.key === "Escape") setText(value);
    },
  };
  // The kind of field follows the kept value, not what is being typed: to change it would take the focus away.
  if (value.length > LINE) return <textarea {...props} rows={Math.ceil(Math.max(text.length, 1) / LINE)} cols={LINE} />;
  return <input {...props} size={Math.max(text.length, placeholder.length, 2)} />;
}
