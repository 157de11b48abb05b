import { expect, it } from 'vitest';
import { pieces, unmarked } from './typed';

it('cuts a sentence where what is typed begins and ends', () => {
  const said = 'on heron, list: `zfs list -r main`; then (`zfs mount -a`).';
  expect(pieces(said)).toEqual(['on heron, list: ', 'zfs list -r main', '; then (', 'zfs mount -a', ').']);
  expect(unmarked(said)).toBe('on heron, list: zfs list -r main; then (zfs mount -a).');
});

it('takes a mark within a name for a letter', () => {
  expect(pieces('a`b: `ls` of o`clock')).toEqual(['a`b: ', 'ls', ' of o`clock']);
  expect(pieces('no mark')).toEqual(['no mark']);
});
