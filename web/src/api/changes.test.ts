import { describe, expect, it } from 'vitest';
import { applied, tagOf, type Changes } from './changes';
import type { PlanState } from './client';

const held = {
  meta: { revision: 3, pinned: 2 },
  plan: { disks: [{ id: 'a' }, { id: 'b' }, { id: 'c' }], name: 'lab' },
  evaluation: { today: '2026-11-24', strip: { cost: 1, odds: 2 } },
} as unknown as PlanState;

describe('what an edit changed', () => {
  it('is set into what was held, and all the rest stays the very same', () => {
    const answer = {
      since: 'x',
      changes: {
        fields: {
          plan: { fields: { disks: { length: 2, items: { '1': { id: 'new' } } } } },
          evaluation: { fields: { strip: { fields: { cost: { value: 7 } } } } },
        },
      },
    } as unknown as Changes;
    const next = applied(held, answer);
    expect(next.plan.disks).toEqual([{ id: 'a' }, { id: 'new' }]);
    expect(next.plan.disks[0]).toBe(held.plan.disks[0]);
    expect(next.plan.name).toBe('lab');
    expect(next.evaluation.strip).toEqual({ cost: 7, odds: 2 });
    expect(next.meta).toBe(held.meta);
    expect(held.plan.disks).toHaveLength(3);
  });
  it('is nothing where nothing differs, and all of it where the server sent the whole', () => {
    expect(applied(held, { since: 'x', changes: {} })).toBe(held);
    const whole = { ...held };
    expect(applied(held, whole)).toBe(whole);
  });
  it('goes by the tag that the server gives: revision, day and pin', () => {
    expect(tagOf(held)).toBe('"r3-20261124-p2"');
  });
});
