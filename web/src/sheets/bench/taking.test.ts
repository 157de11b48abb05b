import { describe, expect, it } from 'vitest';
import { chosenOf, disksOf, type Thing } from './taking';

const thing = (key: string, needs: string[] = [], item: Record<string, unknown> = {}): Thing => ({
  key,
  collection: key.split('/')[0] ?? '',
  what: 'new',
  name: key,
  item: { id: key.split('/')[1], ...item },
  why: '',
  guess: '',
  needs,
});

const things = [
  thing('hosts/nas'),
  thing('disks/a', ['hosts/nas'], { label: 'A', capacity_bytes: 4e12, bay: '3.5-1' }),
  thing('disks/b', ['hosts/nas'], { label: 'B', capacity_bytes: 8e12, bay: null }),
  thing('pools/tank', ['hosts/nas', 'disks/a'], { groups: [['a']], spares: [] }),
  thing('datasets/photos', ['pools/tank']),
  thing('accounts/ana'),
];

describe('what of an offer is taken', () => {
  it('leaves out all that stands on what is left out, and nothing else', () => {
    expect(chosenOf(things, new Set()).length).toBe(6);
    const keys = (off: string[]) => chosenOf(things, new Set(off)).map((t) => t.key);
    expect(keys(['disks/a'])).toEqual(['hosts/nas', 'disks/b', 'accounts/ana']);
    expect(keys(['hosts/nas'])).toEqual(['accounts/ana']);
    expect(keys(['accounts/ana'])).toHaveLength(5);
  });

  it('draws each disk with its bay, and says which are in a pool', () => {
    expect(disksOf(things).map((d) => [d.label, d.bay, d.pool, d.isNew])).toEqual([
      ['A', '3.5-1', true, true],
      ['B', 'shelf', false, true],
    ]);
  });
});
