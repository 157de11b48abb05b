/** Figures as people read them: every one with its unit. */

import digitsOf from '../api/generated/minor-digits.json';

export interface Quantity {
  value: string;
  unit: string;
}

const DECIMAL: [number, string][] = [
  [1e15, 'PB'],
  [1e12, 'TB'],
  [1e9, 'GB'],
  [1e6, 'MB'],
  [1e3, 'kB'],
];
const BINARY: [number, string][] = [
  [2 ** 50, 'PiB'],
  [2 ** 40, 'TiB'],
  [2 ** 30, 'GiB'],
  [2 ** 20, 'MiB'],
  [2 ** 10, 'KiB'],
];

function digits(value: number): string {
  if (value >= 100) return value.toFixed(0);
  return value >= 10 ? value.toFixed(1) : value.toFixed(2);
}

function scaled(bytes: number, units: [number, string][]): Quantity {
  const found = units.find(([size]) => bytes >= size);
  return found ? { value: digits(bytes / found[0]), unit: found[1] } : { value: String(bytes), unit: 'bytes' };
}

/** Bytes in the decimal units that disks are sold in. */
export const decimal = (bytes: number): Quantity => scaled(bytes, DECIMAL);
/** Bytes in the binary units that a server reports. */
export const binary = (bytes: number): Quantity => scaled(bytes, BINARY);

export const text = ({ value, unit }: Quantity): string => (unit ? `${value} ${unit}` : value);
export const size = (bytes: number): string => text(decimal(bytes));

const DIGITS: Record<string, number | undefined> = digitsOf;
/** Minor units in one unit of a currency: 100 for most; the core's table, after ISO 4217. */
export const minorUnits = (currency: string): number => 10 ** (DIGITS[currency] ?? 2);

/** A number with its thousands apart by a blank. */
function grouped(value: number, digits: number): string {
  const parts = new Intl.NumberFormat('en', { minimumFractionDigits: digits, maximumFractionDigits: digits });
  return parts.format(value).replaceAll(',', ' ');
}

/** Money in whole units with its currency's code. */
export function money(minor: number, currency: string): Quantity {
  const units = minor / minorUnits(currency);
  const small = Math.abs(units) < 100 && !Number.isInteger(units);
  return { value: grouped(units, small ? (DIGITS[currency] ?? 2) : 0), unit: currency };
}

/** A span of time in the unit that gives two or three digits. */
export function duration(seconds: number): Quantity {
  const steps: [number, number, string][] = [
    [90, 1, 's'],
    [90 * 60, 60, 'min'],
    [48 * 3600, 3600, 'h'],
    [Infinity, 86_400, 'd'],
  ];
  const [, size, unit] = steps.find(([limit]) => seconds < limit) ?? [0, 86_400, 'd'];
  const value = seconds / size;
  const shown = value >= 10 || Number.isInteger(value) ? value.toFixed(0) : value.toFixed(1);
  return { value: shown, unit };
}

export const span = (seconds: number): string => text(duration(seconds));

const superscript = (n: number): string =>
  Array.from(String(n))
    .map((d) => '⁰¹²³⁴⁵⁶⁷⁸⁹'[Number(d)])
    .join('');

/** Odds as `1 in n`, which people compare more easily than small percentages. */
export function odds(p: number): string {
  if (p <= 0) return 'none';
  if (p >= 0.995) return 'certain';
  const n = 1 / p;
  if (n < 10) return `1 in ${n.toFixed(1)}`;
  if (n >= 1e15) return '< 1 in 10¹⁵';
  if (n >= 1e6) {
    const power = Math.floor(Math.log10(n));
    return `1 in ${(n / 10 ** power).toFixed(1)}×10${superscript(power)}`;
  }
  const rounded = Number(n.toPrecision(n < 1000 ? 3 : 2));
  return `1 in ${grouped(rounded, 0)}`;
}

/** Odds of which only the range is known: what is seen, and the most that a data sheet allows. */
export const oddsRange = (seen: number, most: number): string =>
  odds(seen) === odds(most) ? odds(seen) : `${whole(odds(seen))}, at most ${whole(odds(most))}`;
/** Figures that a line does not break in. */
export const whole = (words: string): string => words.replaceAll(' ', '\u00a0');

export const percent = (share: number): string => `${(share * 100).toFixed(share < 0.1 && share > 0 ? 1 : 0)} %`;

/** Least and most of a share, one figure where they show as one. */
export const percents = (least: number, most: number): string =>
  percent(least) === percent(most) ? percent(least) : `${percent(least)} to ${percent(most)}`;

const BYTES = /^\s*(\d+(?:\.\d+)?)\s*(PB|TB|GB|MB|kB|KB|TiB|GiB|MiB|B|bytes)?\s*$/;
const FACTORS: Record<string, number> = {
  PB: 1e15,
  TB: 1e12,
  GB: 1e9,
  MB: 1e6,
  kB: 1e3,
  KB: 1e3,
  TiB: 2 ** 40,
  GiB: 2 ** 30,
  MiB: 2 ** 20,
  B: 1,
  bytes: 1,
};

/** Bytes from what people write, or what is wrong with it. */
export function readSize(written: string): number | string {
  if (written.includes(',')) return 'write it with a decimal point, as 1.5 TB, without commas';
  const found = BYTES.exec(written);
  if (!found) return 'write a size such as 1.4 TB or 300 GB';
  const unit = found[2];
  if (!unit && Number(found[1]) > 0 && Number(found[1]) < 1e6) return 'add a unit: GB or TB';
  const bytes = Math.round(Number(found[1]) * (FACTORS[unit ?? 'B'] ?? 1));
  return bytes <= 1e15 ? bytes : 'that is more than a home lab can hold: at most 1 PB';
}

/** A number from what people write, or what is wrong with it. */
export function readNumber(written: string): number | string {
  if (written.includes(',')) return 'write it with a decimal point, without commas';
  const plain = written.trim();
  if (!/^-?\d+(\.\d+)?(e[+-]?\d+)?$/i.test(plain)) return 'write a number';
  const value = Number(plain);
  return Number.isFinite(value) ? value : 'write a number';
}

/** A number as it is shown for editing: large ones in powers of ten. */
export const writeNumber = (value: number): string =>
  Math.abs(value) >= 1e9 ? value.toExponential().replace('e+', 'e') : String(value);

/** A size as it is shown for editing: exact, in the largest unit that keeps it so. */
export function writeSize(bytes: number): string {
  for (const [factor, unit] of DECIMAL) {
    const value = bytes / factor;
    if (value >= 1 && value < 1e4 && Math.round(Number(value.toFixed(3)) * factor) === bytes)
      return `${Number(value.toFixed(3))} ${unit}`;
  }
  return `${bytes} B`;
}

export const words = (code: string): string => code.replaceAll('_', ' ');

/** A local date and time of an ISO instant that carries its own offset. */
export const clock = (iso: string): string => iso.slice(11, 16);
