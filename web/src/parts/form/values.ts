/** How a field's value is written in a form, and read from it again. */

import { api, unwrap, type Items, type Schemas } from '../../api/client';
import { minorUnits, readNumber, readSize, writeNumber, writeSize } from '../../text/format';

export type Field = Schemas['FieldView'];
export type Written = string | boolean | string[];
export type Plain = Record<string, unknown>;
type Window = Items['jobs']['retention']['windows'][number];

const PERIODS = { hour: 'hourly', day: 'daily', week: 'weekly', month: 'monthly', year: 'yearly' } as const;

/** Windows of age as a line: hour 1, day 30, week 365. */
export const showWindows = (value: unknown): string =>
  ((value ?? []) as Window[])
    .map((w) => `${Object.entries(PERIODS).find(([, p]) => p === w.every)?.[0] ?? w.every} ${w.days}`)
    .join(', ');

/** What such a line says; throws what is wrong with it. */
export const readWindows = (text: string): Window[] =>
  text
    .split(',')
    .map((part) => part.trim())
    .filter(Boolean)
    .map((part) => {
      const [word = '', days = ''] = part.toLowerCase().split(/\s+/);
      const every = PERIODS[word as keyof typeof PERIODS] as Window['every'] | undefined;
      if (!every || !/^\d+$/.test(days))
        throw new Error('write an hour, day, week, month or year and how many days, as: hour 1, day 30, week 365');
      return { every, days: Number(days) };
    });

/** What stands at a path, as `schedule.at`. */
export const at = (item: Plain, path: string): unknown =>
  path.split('.').reduce<unknown>((found, key) => (found as Plain | null | undefined)?.[key], item);

/** The same thing with something else at a path. */
export function place(item: Plain, path: string, value: unknown): Plain {
  const [head = '', ...rest] = path.split('.');
  if (!rest.length) return { ...item, [head]: value };
  return { ...item, [head]: place(item[head] as Plain, rest.join('.'), value) };
}

// Characters that a narrow field shows without cutting them.
const ONE_LINE = 28;

export function write(field: Field, value: unknown, currency: string): Written {
  if (field.kind === 'windows') return showWindows(value);
  if (field.kind === 'check') return value === true;
  if (field.kind === 'several') return (value as unknown[] | undefined)?.map(String) ?? [];
  if (value === null || value === undefined) return '';
  if (field.kind === 'numbers') return (value as unknown[]).join(' ');
  if (field.kind === 'words') {
    const short = (value as string[]).join(' ');
    return short.length > ONE_LINE ? (value as string[]).join('\n') : short;
  }
  if (field.kind === 'size') return writeSize(value as number);
  if (field.kind === 'capacity' && typeof value === 'number') return value ? value.toFixed(0) : '';
  if (field.kind === 'money') return String((value as number) / minorUnits(currency));
  if (typeof value === 'number') return field.kind === 'select' ? String(value) : writeNumber(value);
  return typeof value === 'string' ? value : '';
}

/** Numbers stand for themselves among choices that are numbers. */
const chosen = (field: Field, value: string): unknown =>
  field.choices.some((c) => typeof c.value === 'number') ? Number(value) : value;

/** The value that a field's text stands for; throws what is wrong with it. */
export async function read(field: Field, value: Written, currency: string): Promise<unknown> {
  if (Array.isArray(value)) return field.choices.length ? value.map((v) => chosen(field, v)).sort() : value;
  if (typeof value === 'boolean') return value;
  if (value.trim() === '' && field.optional) return null;
  const need = (found: number | string): number => {
    if (typeof found === 'string') throw new Error(found);
    return found;
  };
  const bounded = (found: number): number => {
    if (field.low !== null && field.high !== null && (found < field.low || found > field.high))
      throw new Error(`from ${writeNumber(field.low)} to ${writeNumber(field.high)}`);
    return found;
  };
  const parts = value.split(/[\s,]+/).filter(Boolean);
  switch (field.kind) {
    case 'windows':
      return readWindows(value);
    case 'number':
      return bounded(need(readNumber(value)));
    case 'whole': {
      const found = need(readNumber(value));
      if (!Number.isInteger(found)) throw new Error('write a whole number');
      return bounded(found);
    }
    case 'size':
      return need(readSize(value));
    case 'words':
      return parts;
    case 'numbers':
      return parts.map((part) => need(readNumber(part)));
    case 'money':
      return Math.round(need(readNumber(value)) * minorUnits(currency));
    case 'capacity':
      return unwrap(await api.GET('/api/capacity', { params: { query: { text: value } } })).capacity_bytes;
    case 'select':
      if (value === '') throw new Error('choose one');
      return chosen(field, value);
    default:
      return value;
  }
}
