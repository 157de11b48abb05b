/**
 * Things of one collection as a table to type into, and to paste into from a spreadsheet. What was typed
 * stands in its cell until all of it is saved as one change: one undo takes it back.
 */

import { useRef, useState, type ClipboardEvent, type KeyboardEvent } from 'react';
import { Refused, type Collection, type Items } from '../../api/client';
import { useFormOf } from '../../api/forms';
import { useChange, usePlan } from '../../api/plan';
import { useMay } from '../../api/visitor';
import { Slip } from '../Slip';
import { columnsOf, isTable, pasted, shownAs, valueOf } from './cells';
import { offered } from './fields';
import { place, type Field, type Plain } from './values';

const MOST = 500;

/** Cells by `row/field`; rows that are new are called +0, +1 and so on. */
type Cells = Record<string, string>;

export function ItemTable<C extends Collection>({
  title,
  collection,
  columns,
  finish = (item) => item,
  onClose,
}: {
  title: string;
  collection: C;
  columns: readonly string[];
  /** Last touch before sending: what one cell means for others. */
  finish?: (item: Items[C], typed: ReadonlySet<string>) => Items[C];
  onClose: () => void;
}) {
  const state = usePlan();
  const { plan } = state;
  const { form, fresh } = useFormOf(collection);
  const change = useChange();
  const may = useMay(collection);
  const table = useRef<HTMLTableElement>(null);
  const [cells, setCells] = useState<Cells>({});
  const [wrong, setWrong] = useState<Cells>({});
  const [general, setGeneral] = useState('');
  const [leaving, setLeaving] = useState(false);
  const fields = columns.flatMap((name) => form.fields.filter((f) => f.name === name));
  const items = plan[collection] as unknown as (Plain & { id: string })[];
  const added = Object.keys(cells)
    .filter((k) => k.startsWith('+'))
    .map((k) => Number(k.slice(1, k.indexOf('/'))));
  const blank = Math.max(-1, ...added) + 1;
  const rows = [...items.map((i) => i.id), ...Array.from({ length: blank + (may ? 1 : 0) }, (_, n) => `+${n}`)];
  const dirty = Object.keys(cells).length;
  const itemOf = (row: string): Plain => items.find((i) => i.id === row) ?? fresh();
  const stands = (row: string, field: Field): string => {
    if (row.startsWith('+')) return '';
    const item = itemOf(row);
    return shownAs(field, item, offered(field, {}, item, state), plan.currency);
  };
  // Wide enough for what stands in the column; figures are of one width.
  const widths = fields.map((f) => {
    const longest = Math.max(5, ...rows.map((row) => (cells[`${row}/${f.name}`] ?? stands(row, f)).length));
    return `${Math.min(longest, 22) + 2}ch`;
  });
  const type = (changes: Cells) => {
    // A cell in which the plan's own words stand again is no change.
    const differs = ([key, text]: [string, string]) => {
      const [row = '', name = ''] = key.split('/');
      const field = fields.find((f) => f.name === name);
      return !field || text !== stands(row, field);
    };
    setCells((before) => Object.fromEntries(Object.entries({ ...before, ...changes }).filter(differs)));
    setWrong((before) => Object.fromEntries(Object.entries(before).filter(([k]) => !(k in changes))));
    setLeaving(false);
  };
  const onPaste = (row: number, column: number) => (e: ClipboardEvent) => {
    const text = e.clipboardData.getData('text/plain');
    if (!isTable(text)) return;
    e.preventDefault();
    const lines = pasted(text);
    const { columns: to, headed } = columnsOf(lines[0] ?? [], fields, column);
    const put: Cells = {};
    lines.slice(headed ? 1 : 0, MOST).forEach((line, n) => {
      const at = rows[row + n] ?? `+${blank + row + n - rows.length + 1}`;
      line.forEach((cell, k) => {
        const field = fields[to[k] ?? -1];
        if (field) put[`${at}/${field.name}`] = cell;
      });
    });
    type(put);
  };
  const onKeyDown = (e: KeyboardEvent<HTMLTableElement>) => {
    const step = { ArrowUp: -1, ArrowDown: 1, Enter: 1 }[e.key];
    const here = (e.target as HTMLElement).dataset.at?.split(',').map(Number);
    if (!step || !here) return;
    if (e.key === 'Enter' && (e.ctrlKey || e.metaKey)) {
      void save();
      return;
    }
    e.preventDefault();
    table.current?.querySelector<HTMLInputElement>(`[data-at="${(here[0] ?? 0) + step},${here[1] ?? 0}"]`)?.focus();
  };
  const save = async () => {
    const bad: Cells = {};
    const things: { collection: string; item: Plain }[] = [];
    for (const row of new Set(Object.keys(cells).map((k) => k.slice(0, k.indexOf('/'))))) {
      const mine = fields.filter((f) => `${row}/${f.name}` in cells);
      if (row.startsWith('+') && mine.every((f) => !cells[`${row}/${f.name}`]?.trim())) continue;
      let item = itemOf(row);
      if (row.startsWith('+')) item = { ...item, id: freshId(collection) };
      const typed = new Set<string>();
      for (const field of mine) {
        const text = cells[`${row}/${field.name}`] ?? '';
        // An empty cell of a new row is what is usual.
        if (row.startsWith('+') && !text.trim()) continue;
        try {
          const value = await valueOf(field, text, offered(field, {}, item, state), plan.currency);
          item = place(item, field.name, value);
          typed.add(field.name);
        } catch (error) {
          bad[`${row}/${field.name}`] = (error as Error).message;
        }
      }
      things.push({ collection, item: finish(item as unknown as Items[C], typed) });
    }
    setWrong(bad);
    setGeneral('');
    if (Object.keys(bad).length || !things.length) return;
    try {
      await change.mutateAsync({ edit: { do: 'take', things, said: 'the table' } });
      setCells({});
    } catch (error) {
      if (!(error instanceof Refused)) throw error;
      setGeneral(error.problem.errors.map((e) => e.message).join('; ') || error.message);
    }
  };
  const close = () => (dirty ? setLeaving(true) : onClose());
  return (
    <Slip title={title} onClose={close} whole>
      <p className="text-quiet">
        Type into the cells, or paste rows from a spreadsheet into the first of them; with heads in their first row they
        go by these. The last row is a new one. Arrow keys go up and down.
      </p>
      {general && (
        <p role="alert" className="my-1 border border-danger bg-blush px-2 py-1 text-danger">
          {general}
        </p>
      )}
      <div className="my-2 overflow-x-auto">
        {/* eslint-disable-next-line jsx-a11y/no-noninteractive-element-interactions -- keys of its cells */}
        <table ref={table} className="w-full border-separate border-spacing-0" onKeyDown={onKeyDown}>
          <thead>
            <tr>
              {fields.map((f) => (
                <th key={f.name} className="pr-1 whitespace-nowrap">
                  {f.label}
                  {f.unit && <span className="unit"> {f.unit.replace('{currency}', plan.currency)}</span>}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((row, r) => (
              <tr key={row}>
                {fields.map((f, c) => {
                  const key = `${row}/${f.name}`;
                  const why = wrong[key];
                  return (
                    <td key={f.name} className="p-0 align-top" style={{ minWidth: widths[c] }}>
                      <input
                        className={`entry figure ${key in cells ? 'bg-picked' : ''} ${why ? 'border-danger' : ''}`}
                        data-at={`${r},${c}`}
                        disabled={!may}
                        aria-label={`${f.label} of ${row.startsWith('+') ? `new row ${Number(row.slice(1)) + 1}` : (cells[`${row}/${fields[0]?.name ?? ''}`] ?? stands(row, fields[0] ?? f))}`}
                        aria-invalid={why !== undefined}
                        list={f.kind === 'select' ? `${collection}-${f.name}` : undefined}
                        value={cells[key] ?? stands(row, f)}
                        spellCheck={false}
                        onChange={(e) => type({ [key]: e.target.value })}
                        onPaste={onPaste(r, c)}
                      />
                      {why && (
                        <span role="alert" className="block text-[12px] text-danger">
                          {why}
                        </span>
                      )}
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {fields
        .filter((f) => f.kind === 'select')
        .map((f) => (
          <datalist key={f.name} id={`${collection}-${f.name}`}>
            {offered(f, {}, {}, state).map((o) => (
              <option key={o.value} value={o.label} />
            ))}
          </datalist>
        ))}
      <p className="sticky -bottom-3 flex flex-wrap items-baseline gap-3 border-t border-ink bg-paper py-2">
        <button className="act font-semibold" disabled={!dirty || change.isPending} onClick={() => void save()}>
          save {dirty === 1 ? 'one cell' : `${dirty} cells`} <span className="unit">Ctrl Enter</span>
        </button>
        {leaving && dirty > 0 && (
          <>
            <span role="alert" className="text-danger">
              Not saved yet.
            </span>
            <button className="act text-danger" onClick={onClose}>
              throw them away
            </button>
          </>
        )}
        {!dirty && change.isSuccess && <span role="status">saved</span>}
      </p>
    </Slip>
  );
}

/** An id that nothing has: the plan looks at it no further. */
function freshId(collection: string): string {
  const letters = crypto.getRandomValues(new Uint8Array(6));
  return `${collection.charAt(0)}${[...letters].map((b) => b.toString(16).padStart(2, '0')).join('')}`;
}
