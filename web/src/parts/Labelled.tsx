/** One field with its label, its hint, and what is wrong with it. */

import { useId, type InputHTMLAttributes } from 'react';

export function Labelled({
  label,
  hint,
  wrong,
  ...input
}: { label: string; hint?: string; wrong?: string | undefined } & InputHTMLAttributes<HTMLInputElement>) {
  const id = useId();
  return (
    <div className="min-w-0">
      <label htmlFor={id} className="text-quiet">
        {label}
      </label>
      <input
        id={id}
        className="entry"
        aria-invalid={Boolean(wrong)}
        aria-describedby={wrong || hint ? `${id}-says` : undefined}
        {...input}
      />
      {(wrong || hint) && (
        <p id={`${id}-says`} className={`text-[12px] ${wrong ? 'text-danger' : 'text-quiet'}`}>
          {wrong ?? hint}
        </p>
      )}
    </div>
  );
}
