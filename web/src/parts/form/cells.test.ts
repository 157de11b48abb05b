import { describe, expect, it } from 'vitest';
import { columnsOf, isTable, pasted, shownAs, valueOf } from './cells';
import type { Field } from './values';

const field = (more: Partial<Field>): Field =>
  ({ name: 'x', label: 'X', kind: 'text', optional: false, choices: [], low: null, high: null, ...more }) as Field;
const kind = field({
  name: 'kind',
  label: 'Kind',
  kind: 'select',
  choices: [
    { value: 'hdd', label: 'hard disk', when: [] },
    { value: 'ssd', label: 'SSD', when: [] },
  ] as never,
});
const options = [
  { value: 'hdd', label: 'hard disk' },
  { value: 'ssd', label: 'SSD' },
  { value: 'h1', label: 'hard' },
];

describe('what a spreadsheet pastes', () => {
  it('has tabs between cells, and quotes around what has a tab or a line end in it', () => {
    expect(pasted('D1\t8 TB\r\n"D\n2"\t"4 ""TB"""\n')).toEqual([
      ['D1', '8 TB'],
      ['D\n2', '4 "TB"'],
    ]);
    expect(pasted('a;b,c\nd;e')).toEqual([
      ['a', 'b,c'],
      ['d', 'e'],
    ]);
    expect(isTable('one cell\n')).toBe(false);
    expect(isTable('two\tcells')).toBe(true);
  });

  it('goes by its heads where it has them, else one after another', () => {
    const fields = [field({ name: 'label', label: 'Label' }), field({ name: 'serial', label: 'Serial' }), kind];
    expect(columnsOf(['Serial', 'KIND', 'colour'], fields, 0)).toEqual({ columns: [1, 2, -1], headed: true });
    expect(columnsOf(['D1', 'S-1'], fields, 1)).toEqual({ columns: [1, 2], headed: false });
  });
});

describe('a cell of a choice', () => {
  it('is typed as its label, its beginning, or as the plan has it', async () => {
    expect(shownAs(kind, { kind: 'ssd' }, options, 'EUR')).toBe('SSD');
    await expect(valueOf(kind, 'ssd', options, 'EUR')).resolves.toBe('ssd');
    await expect(valueOf(kind, 'Hard Disk', options, 'EUR')).resolves.toBe('hdd');
    await expect(valueOf(kind, 'har', options, 'EUR')).rejects.toThrow('one of: hard disk, SSD, hard');
    await expect(valueOf(kind, 'tape', options, 'EUR')).rejects.toThrow('one of:');
    await expect(valueOf(kind, '', options, 'EUR')).rejects.toThrow('choose one');
  });
});
