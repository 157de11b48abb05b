/** A word with a short list behind it: within 5 years, over 20 000 lifetimes. */
export function Pick<V extends number | string>({
  word,
  label,
  value,
  options,
  onPick,
}: {
  word: string;
  label?: string;
  value: V;
  options: readonly { value: V; label: string }[];
  onPick: (value: V) => void;
}) {
  return (
    <label className="flex items-baseline gap-1 text-quiet">
      {word}
      <select
        className="entry !w-auto"
        aria-label={label}
        value={value}
        onChange={(e) => {
          const found = options.find((o) => String(o.value) === e.target.value);
          if (found) onPick(found.value);
        }}
      >
        {options.map((o) => (
          <option key={o.value} value={o.value}>
            {o.label}
          </option>
        ))}
      </select>
    </label>
  );
}
