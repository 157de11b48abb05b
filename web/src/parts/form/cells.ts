/** Cells of a table as text: what a spreadsheet pastes, and what each cell's text stands for. */

import { at, read, write, type Field, type Plain } from './values';
import { decimal, text as short } from '../../text/format';
import type { Option } from './fields';

/** What stands in a cell: choices by their labels, so that they can be typed and pasted. */
export function shownAs(field: Field, item: Plain, options: Option[], currency: string): string {
  // To the byte it is kept; here it is read. What is not typed over stays as it is.
  const held = at(item, field.name);
  if (field.kind === 'capacity' && typeof held === 'number') return held ? short(decimal(held)) : '';
  const written = write(field, at(item, field.name), currency);
  if (typeof written !== 'string') return '';
  if (field.kind === 'select') return options.find((o) => o.value === written)?.label ?? written;
  return written;
}

/** The value of a cell's text; throws what is wrong with it. */
export async function valueOf(field: Field, text: string, options: Option[], currency: string): Promise<unknown> {
  const typed = text.trim();
  if (field.kind !== 'select' || typed === '') return read(field, typed, currency);
  const wanted = typed.toLowerCase();
  const same = options.filter((o) => o.label.toLowerCase() === wanted || o.value.toLowerCase() === wanted);
  const alike = same.length ? same : options.filter((o) => o.label.toLowerCase().startsWith(wanted));
  const [only] = alike;
  if (!only || alike.length > 1)
    throw new Error(`one of: ${options.map((o) => o.label).join(', ') || 'nothing is there to choose'}`);
  return read(field, only.value, currency);
}

/**
 * The rows of cells that a spreadsheet puts on the clipboard: tabs between cells, quotes around what has
 * a tab, a line end or a quote in it. Without a tab, commas or semicolons part the cells.
 */
export function pasted(text: string): string[][] {
  const plain = text.replace(/\r\n?/g, '\n').replace(/\n+$/, '');
  const mark = plain.includes('\t') ? '\t' : plain.includes(';') ? ';' : ',';
  const rows: string[][] = [[]];
  let cell = '';
  let quoted = false;
  for (let i = 0; i < plain.length; i++) {
    const c = plain.charAt(i);
    if (quoted) {
      if (c !== '"') cell += c;
      else if (plain.charAt(i + 1) === '"') cell += plain.charAt(++i);
      else quoted = false;
    } else if (c === '"' && cell === '') quoted = true;
    else if (c === mark || c === '\n') {
      rows.at(-1)?.push(cell.trim());
      cell = '';
      if (c === '\n') rows.push([]);
    } else cell += c;
  }
  rows.at(-1)?.push(cell.trim());
  return rows;
}

/** Whether pasted text is more than one cell. */
export const isTable = (text: string): boolean => /[\t\n]/.test(text.trim());

/** Which column each pasted cell goes to: by the heads where the first row has them, else one after another. */
export function columnsOf(first: string[], fields: Field[], start: number): { columns: number[]; headed: boolean } {
  const named = first.map((head) => {
    const wanted = head.toLowerCase();
    return fields.findIndex((f) => f.label.toLowerCase() === wanted || f.name.toLowerCase() === wanted);
  });
  const headed = named.filter((n) => n >= 0).length >= Math.min(2, first.length) && named.some((n) => n >= 0);
  return { columns: headed ? named : first.map((_, n) => start + n), headed };
}
