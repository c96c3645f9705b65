/** Changeable words set in a sentence: chosen from a list, written as a number or as text. */
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
