/**
 * One editor for every thing of a plan, made from a list of its fields.
 *
 * What is there saves itself when a field is left; what is new is added with a button. A refused
 * field keeps what was typed and says beside it what would be right.
 */

import { useEffect, useRef, useState } from 'react';
import { api, Refused, unwrap, type Collection, type Items } from '../api/client';
import { useChange, usePlan, type Edit } from '../api/plan';
import { minorUnits, readNumber, readSize, writeNumber, writeSize } from '../text/format';

export interface Option {
  value: string;
  label: string;
}

export interface FieldSpec {
  name: string;
  label: string;
  kind:
    | 'text'
    | 'words'
    | 'numbers'
    | 'note'
    | 'number'
    | 'whole'
    | 'size'
    | 'capacity'
    | 'money'
    | 'select'
    | 'check'
    | 'several'
    | 'date'
    | 'time';
  unit?: string;
  options?: Option[];
  /** The field may be left empty, and is then null. */
  optional?: boolean;
  help?: string;
  hidden?: (draft: Draft) => boolean;
  /** How a value that is no plain text is written in the field, and read from it; throws what is wrong. */
  show?: (value: unknown) => string;
  parse?: (text: string) => unknown;
}

type Value = string | boolean | string[];
export type Draft = Record<string, Value>;
type Plain = Record<string, unknown>;

const at = (item: Plain, name: string): unknown =>
  name.split('.').reduce<unknown>((found, key) => (found as Plain | undefined)?.[key], item);

function written(spec: FieldSpec, value: unknown, currency: string): Value {
  if (spec.show) return spec.show(value);
  if (spec.kind === 'check') return value === true;
  if (spec.kind === 'several') return (value as unknown[] | undefined)?.map(String) ?? [];
  if (value === null || value === undefined) return '';
  if (spec.kind === 'words' || spec.kind === 'numbers') return (value as unknown[]).join(' ');
  if (spec.kind === 'size') return writeSize(value as number);
  if (spec.kind === 'capacity' && typeof value === 'number') return value ? value.toFixed(0) : '';
  if (spec.kind === 'money') return String((value as number) / minorUnits(currency));
  if (typeof value === 'number') return writeNumber(value);
  return typeof value === 'string' ? value : '';
}

/** The value that a field's text stands for; throws what is wrong with it. */
async function read(spec: FieldSpec, value: Value, currency: string): Promise<unknown> {
  if (typeof value !== 'string') return value;
  if (spec.parse) return spec.parse(value);
  if (value.trim() === '' && spec.optional) return null;
  const need = (found: number | string): number => {
    if (typeof found === 'string') throw new Error(found);
    return found;
  };
  switch (spec.kind) {
    case 'number':
      return need(readNumber(value));
    case 'whole': {
      const found = need(readNumber(value));
      if (!Number.isInteger(found)) throw new Error('write a whole number');
      return found;
    }
    case 'size':
      return need(readSize(value));
    case 'words':
      return value.split(/[\s,]+/).filter(Boolean);
    case 'numbers':
      return value
        .split(/[\s,]+/)
        .filter(Boolean)
        .map((part) => need(readNumber(part)));
    case 'money':
      return Math.round(need(readNumber(value)) * minorUnits(currency));
    case 'capacity':
      return unwrap(await api.GET('/api/capacity', { params: { query: { text: value } } })).capacity_bytes;
    default:
      return value;
  }
}

function place(item: Plain, name: string, value: unknown): Plain {
  const [head = '', ...rest] = name.split('.');
  if (!rest.length) return { ...item, [head]: value };
  return { ...item, [head]: place(item[head] as Plain, rest.join('.'), value) };
}

export function ItemForm<C extends Collection>({
  collection,
  specs,
  item,
  isNew,
  shape = (x) => x,
  onDone,
}: {
  collection: C;
  specs: FieldSpec[];
  item: Items[C];
  isNew: boolean;
  /** Last touch before sending, such as clearing a field that another choice made idle. */
  shape?: (item: Items[C]) => Items[C];
  onDone: () => void;
}) {
  const { plan, meta } = usePlan();
  const change = useChange();
  const base = useRef(item as unknown as Plain);
  const seen = useRef(meta.revision);
  const first = () =>
    Object.fromEntries(specs.map((s) => [s.name, written(s, at(item as unknown as Plain, s.name), plan.currency)]));
  const [draft, setDraft] = useState<Draft>(first);
  const latest = useRef(draft);
  const saved = useRef(draft);
  const [wrong, setWrong] = useState<Record<string, string>>({});
  const [general, setGeneral] = useState('');
  const [conflict, setConflict] = useState(false);
  const form = useRef<HTMLFormElement>(null);
  const complaints = `${general}|${Object.entries(wrong).join('|')}`;
  useEffect(() => {
    // What was refused may stand above or below what is seen of a long form.
    if (complaints !== '|') form.current?.querySelector('[role="alert"]')?.scrollIntoView({ block: 'nearest' });
  }, [complaints]);
  const visible = specs.filter((s) => !s.hidden?.(draft));

  const save = async (revision = seen.current) => {
    const now = latest.current;
    const same = (name: string) => String(now[name]) === String(saved.current[name]);
    if (!isNew && specs.every((s) => same(s.name))) return;
    const errors: Record<string, string> = {};
    let next = base.current;
    for (const spec of specs) {
      // What was not touched stays exactly as it is.
      if (spec.hidden?.(now) || (!isNew && same(spec.name))) continue;
      try {
        let value = await read(spec, now[spec.name] ?? '', plan.currency);
        if (spec.kind === 'several' && spec.name === 'schedule.weekdays')
          value = (value as string[]).map(Number).sort();
        if (spec.name === 'schedule.nth') value = Number(value);
        next = place(next, spec.name, value);
      } catch (error) {
        errors[spec.name] = (error as Error).message;
      }
    }
    setWrong(errors);
    setGeneral('');
    if (Object.keys(errors).length) return;
    const sent = shape(next as unknown as Items[C]);
    const edit = (
      isNew ? { do: 'add', collection, item: { ...sent, id: undefined } } : { do: 'put', collection, item: sent }
    ) as Edit;
    change.mutate(
      { edit, seen: revision },
      {
        onSuccess: (result) => {
          seen.current = result.meta.revision;
          base.current = sent;
          saved.current = now;
          setConflict(false);
          if (isNew) onDone();
        },
        onError: (error) => {
          if (!(error instanceof Refused)) return;
          setConflict(error.conflict);
          const found: Record<string, string> = {};
          const rest: string[] = [];
          for (const { field, message } of error.problem.errors) {
            const spec = specs.find((s) => field === s.name || field.startsWith(`${s.name}.`));
            if (spec) found[spec.name] = message;
            else rest.push(message);
          }
          setWrong(found);
          setGeneral(rest.join('; ') || (Object.keys(found).length ? '' : error.problem.detail));
        },
      },
    );
  };

  const set = (name: string, value: Value) => {
    latest.current = { ...latest.current, [name]: value };
    setDraft(latest.current);
  };
  const current = () => (plan[collection] as Items[Collection][]).find((x) => x.id === item.id);
  const keepMine = () => {
    // Only the fields touched here go over theirs; what they changed elsewhere stays.
    const theirs = current();
    if (theirs) base.current = theirs;
    const head = change.error instanceof Refused ? (change.error.problem.head ?? 0) : 0;
    void save(Math.max(meta.revision, head));
  };
  const takeTheirs = () => {
    const theirs = current();
    if (!theirs) {
      onDone();
      return;
    }
    base.current = theirs;
    const next = Object.fromEntries(specs.map((s) => [s.name, written(s, at(base.current, s.name), plan.currency)]));
    latest.current = next;
    saved.current = next;
    seen.current = meta.revision;
    setDraft(next);
    setConflict(false);
    setGeneral('');
  };

  return (
    <form
      ref={form}
      noValidate
      onSubmit={(e) => {
        e.preventDefault();
        void save();
      }}
    >
      {general && (
        <div role="alert" className="mb-2 border border-danger bg-blush px-2 py-1 text-danger">
          {general}
          {conflict && (
            <div className="mt-1 flex gap-2">
              <button type="button" className="act" onClick={keepMine}>
                keep mine
              </button>
              <button type="button" className="act" onClick={takeTheirs}>
                take theirs
              </button>
            </div>
          )}
        </div>
      )}
      <div className="grid grid-cols-[130px_1fr] items-start gap-x-3 gap-y-1.5">
        {visible.map((spec) => (
          <FieldRow
            key={spec.name}
            spec={spec}
            value={draft[spec.name] ?? ''}
            wrong={wrong[spec.name]}
            onChange={(value) => set(spec.name, value)}
            onCommit={() => !isNew && !conflict && void save()}
          />
        ))}
      </div>
      <div className="mt-4 flex gap-2">
        {isNew ? (
          <button className="act font-semibold" type="submit" disabled={change.isPending}>
            add
          </button>
        ) : (
          <>
            <span className="unit flex-1 self-center" role="status">
              {change.isPending ? 'saving' : change.isSuccess ? 'saved' : 'saves itself'}
            </span>
            <button
              type="button"
              className="act text-danger"
              onClick={() =>
                change.mutate(
                  { edit: { do: 'remove', collection, id: item.id } },
                  {
                    onSuccess: onDone,
                    onError: (e) => setGeneral(e.message),
                  },
                )
              }
            >
              remove
            </button>
          </>
        )}
      </div>
    </form>
  );
}

function FieldRow({
  spec,
  value,
  wrong,
  onChange,
  onCommit,
}: {
  spec: FieldSpec;
  value: Value;
  wrong: string | undefined;
  onChange: (value: Value) => void;
  onCommit: () => void;
}) {
  const id = `field-${spec.name.replace('.', '-')}`;
  const common = {
    id,
    'aria-invalid': wrong !== undefined,
    'aria-describedby': wrong ? `${id}-wrong` : undefined,
  };
  const chosen = (next: Value) => {
    onChange(next);
    // The draft is held in a ref, so the commit sees this change.
    onCommit();
  };
  return (
    <>
      <label htmlFor={id} className="pt-1 text-quiet">
        {spec.label}
      </label>
      <div>
        {spec.kind === 'check' ? (
          <input
            {...common}
            type="checkbox"
            className="mt-1.5 size-4 accent-(--accent)"
            checked={value === true}
            onChange={(e) => chosen(e.target.checked)}
          />
        ) : spec.kind === 'several' ? (
          <div id={id} role="group" aria-label={spec.label} className="flex flex-wrap gap-x-3 gap-y-1 pt-1">
            {spec.options?.map((o) => (
              <label key={o.value} className="flex items-center gap-1">
                <input
                  type="checkbox"
                  className="size-4 accent-(--accent)"
                  checked={(value as string[]).includes(o.value)}
                  onChange={(e) =>
                    chosen(
                      e.target.checked
                        ? [...(value as string[]), o.value]
                        : (value as string[]).filter((v) => v !== o.value),
                    )
                  }
                />
                {o.label}
              </label>
            ))}
            {!spec.options?.length && <span className="unit">none yet</span>}
          </div>
        ) : spec.kind === 'select' ? (
          <select {...common} className="entry" value={value as string} onChange={(e) => chosen(e.target.value)}>
            {(spec.optional || !spec.options?.some((o) => o.value === value)) && (
              <option value="">{spec.optional ? 'none' : 'choose'}</option>
            )}
            {spec.options?.map((o) => (
              <option key={o.value} value={o.value}>
                {o.label}
              </option>
            ))}
          </select>
        ) : spec.kind === 'note' ? (
          <textarea
            {...common}
            className="entry"
            rows={3}
            value={value as string}
            onChange={(e) => onChange(e.target.value)}
            onBlur={onCommit}
          />
        ) : (
          <div className="flex items-center gap-2">
            <input
              {...common}
              className={`entry ${spec.kind === 'text' ? '' : 'figure'}`}
              type="text"
              placeholder={spec.kind === 'date' ? 'YYYY-MM-DD' : undefined}
              inputMode={spec.kind === 'number' || spec.kind === 'whole' ? 'decimal' : undefined}
              value={value as string}
              onChange={(e) => onChange(e.target.value)}
              onBlur={onCommit}
            />
            {spec.unit && <span className="unit shrink-0">{spec.unit}</span>}
          </div>
        )}
        {wrong && (
          <div id={`${id}-wrong`} role="alert" className="text-danger">
            {wrong}
          </div>
        )}
        {spec.help && !wrong && <div className="unit">{spec.help}</div>}
      </div>
    </>
  );
}
