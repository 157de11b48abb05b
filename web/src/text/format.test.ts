import { describe, expect, it } from 'vitest';
import { binary, decimal, duration, money, odds, oddsRange, readNumber, readSize, text, writeSize } from './format';

describe('sizes', () => {
  it('shows decimal and binary side by side, as a NAS reports them', () => {
    // 12, 16 and 20 TB disks by SFF-8447; what a NAS then shows: common practice, no source.
    expect(text(decimal(23_437_770_752 * 512))).toBe('12.0 TB');
    expect(text(binary(23_437_770_752 * 512))).toBe('10.9 TiB');
    expect(text(binary(31_251_759_104 * 512))).toBe('14.6 TiB');
    expect(text(binary(39_063_650_304 * 512))).toBe('18.2 TiB');
  });
  it('reads what people write and says what is wrong otherwise', () => {
    expect(readSize('1.5 TB')).toBe(1.5e12);
    expect(readSize('300GB')).toBe(3e11);
    expect(readSize('2 TiB')).toBe(2 ** 41);
    expect(readSize('1,5 TB')).toMatch(/decimal point/);
    expect(readSize('12')).toMatch(/unit/);
    expect(readSize('lots')).toMatch(/such as/);
    expect(readSize('9999 PB')).toMatch(/at most/);
  });
  it('writes a size so that reading it gives the same bytes', () => {
    for (const bytes of [0, 1, 1e9, 1.5e12, 4_000_787_030_016, 123_456_789, 5e8]) {
      expect(readSize(writeSize(bytes))).toBe(bytes);
    }
  });
});

describe('other figures', () => {
  it('carry units', () => {
    expect(text(duration(26 * 3600))).toBe('26 h');
    expect(text(duration(3.4 * 86_400))).toBe('3.4 d');
    expect(text(duration(45))).toBe('45 s');
    expect(text(money(410_900, 'EUR'))).toBe('4 109 EUR');
    expect(text(money(4109, 'JPY'))).toBe('4 109 JPY');
    // Three digits by ISO 4217: the dinar of Kuwait has 1000 fils.
    expect(text(money(12_345, 'KWD'))).toBe('12.345 KWD');
    expect(odds(1 / 410)).toBe('1 in 410');
    expect(odds(0.385)).toBe('1 in 2.6');
    expect(odds(0)).toBe('none');
  });
  it('refuse text, commas and infinities for numbers', () => {
    for (const bad of ['', 'x', '1,5', 'NaN', 'Infinity', '1e999', '--1']) {
      expect(typeof readNumber(bad)).toBe('string');
    }
    expect(readNumber(' 2.5 ')).toBe(2.5);
  });
});

describe('odds', () => {
  it('goes on counting beyond a million, and gives a range where only that is known', () => {
    expect(odds(1 / 8700)).toBe('1 in 8 700');
    expect(odds(1.63e-8)).toBe('1 in 6.1×10⁷');
    expect(odds(1e-16)).toBe('< 1 in 10¹⁵');
    expect(oddsRange(1 / 3000, 0.115)).toBe('1\u00a0in\u00a03\u00a0000, at most 1\u00a0in\u00a08.7');
    expect(oddsRange(0.01, 0.01)).toBe('1 in 100');
  });
});
