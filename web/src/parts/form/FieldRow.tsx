/** One field of a form with its label, what is wrong with it, and what it means. */

import { usePlan } from '../../api/plan';
import type { Option } from './fields';
import type { Field, Written } from './values';

interface Row {
  field: Field;
  options: Option[];
  value: Written;
  wrong: string | undefined;
  onChange: (value: Written) => void;
  onCommit: () => void;
}

export function FieldRow({ field, options, value, wrong, onChange, onCommit }: Row) {
  const { plan } = usePlan();
  const said = (words: string) => words.replace('{currency}', plan.currency).replace('{zone}', plan.zone);
  const id = `field-${field.name.replace('.', '-')}`;
  const common = {
    id,
    'aria-invalid': wrong !== undefined,
    'aria-describedby': wrong ? `${id}-wrong` : undefined,
  };
  const chosen = (next: Written) => {
    onChange(next);
    onCommit();
  };
  return (
    <>
      <label htmlFor={id} className="pt-1 text-quiet">
        {field.label}
      </label>
      <div>
        {field.kind === 'check' ? (
          <input
            {...common}
            type="checkbox"
            className="mt-1.5 size-4 accent-(--accent)"
            checked={value === true}
            onChange={(e) => chosen(e.target.checked)}
          />
        ) : field.kind === 'several' ? (
          <Several id={id} label={field.label} options={options} value={value as string[]} onChange={chosen} />
        ) : field.kind === 'select' ? (
          <div className="flex items-center gap-2">
            <select {...common} className="entry" value={value as string} onChange={(e) => chosen(e.target.value)}>
              {(field.optional || !options.some((o) => o.value === value)) && (
                <option value="">{field.optional ? 'none' : 'choose'}</option>
              )}
              {options.map((o) => (
                <option key={o.value} value={o.value}>
                  {o.label}
                </option>
              ))}
            </select>
            {field.unit && <span className="unit shrink-0">{said(field.unit)}</span>}
          </div>
        ) : field.kind === 'note' || field.kind === 'words' ? (
          <textarea
            {...common}
            className={`entry ${field.kind === 'words' ? 'figure block resize-none [field-sizing:content]' : ''}`}
            rows={field.kind === 'note' ? 3 : (value as string).split('\n').length}
            value={value as string}
            onChange={(e) => onChange(e.target.value)}
            onBlur={onCommit}
          />
        ) : (
          <div className="flex items-center gap-2">
            <input
              {...common}
              className={`entry ${field.kind === 'text' ? '' : 'figure'}`}
              type="text"
              placeholder={field.kind === 'date' ? 'YYYY-MM-DD' : undefined}
              inputMode={field.kind === 'number' || field.kind === 'whole' ? 'decimal' : undefined}
              value={value as string}
              onChange={(e) => onChange(e.target.value)}
              onBlur={onCommit}
            />
            {field.unit && <span className="unit shrink-0">{said(field.unit)}</span>}
          </div>
        )}
        {wrong && (
          <div id={`${id}-wrong`} role="alert" className="text-danger">
            {wrong}
          </div>
        )}
        {field.help && !wrong && <div className="unit">{said(field.help)}</div>}
      </div>
    </>
  );
}

function Several({
  id,
  label,
  options,
  value,
  onChange,
}: {
  id: string;
  label: string;
  options: Option[];
  value: string[];
  onChange: (value: string[]) => void;
}) {
  return (
    <div id={id} role="group" aria-label={label} className="flex flex-wrap gap-x-3 gap-y-1 pt-1">
      {options.map((o) => (
        <label key={o.value} className="flex items-center gap-1">
          <input
            type="checkbox"
            className="size-4 accent-(--accent)"
            checked={value.includes(o.value)}
            onChange={(e) => onChange(e.target.checked ? [...value, o.value] : value.filter((v) => v !== o.value))}
          />
          {o.label}
        </label>
      ))}
      {!options.length && <span className="unit">none yet</span>}
    </div>
  );
}
