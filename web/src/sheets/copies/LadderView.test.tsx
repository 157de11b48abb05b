import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, render, screen } from '@testing-library/react';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { api, type PlanState, type Schemas } from '../../api/client';
import { PlanProvider } from '../../api/plan';
import { LadderView } from './LadderView';

const rung = (job: string | null, place: string, box: string, site: string, more: object = {}): Schemas['Rung'] => ({
  job,
  place,
  box,
  site,
  versions: true,
  not_counted: null,
  undeletable: null,
  tested_on: null,
  overdue: false,
  ...more,
});

function shown(rungs: Schemas['Rung'][], lacks: string[], needed = true) {
  const state = {
    meta: { id: 'p', revision: 1 },
    plan: {
      datasets: [{ id: 'letters', name: 'letters' }],
      jobs: [
        { id: 'snaps', name: 'snapshots' },
        { id: 'near', name: 'to the other box' },
        { id: 'far', name: 'far away' },
      ],
      sites: [{ id: 'home', name: 'home' }],
    },
    evaluation: {
      ladders: [
        { dataset: 'letters', rungs, copies: 2, boxes: 2, elsewhere: 1, undeletable: 0, untested: 1, needed, lacks },
      ],
    },
  } as unknown as PlanState;
  return render(
    <QueryClientProvider client={new QueryClient()}>
      <PlanProvider state={state}>
        <LadderView />
      </PlanProvider>
    </QueryClientProvider>,
  );
}

beforeEach(() => {
  vi.spyOn(api, 'GET').mockResolvedValue({ data: { pairs: [], cells: [] } } as never);
});
afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

describe('three, two, one', () => {
  it('sets each copy into the ring of its distance, and strikes out what counts for nothing', () => {
    const { container } = shown(
      [
        rung(null, 'main', 'box', 'home'),
        rung('snaps', 'main', 'box', 'home', { not_counted: 'on the same disks as letters' }),
        rung('near', 'second', 'other', 'home', { tested_on: '2026-11-01' }),
        rung('far', 'third', 'far', 'away', { undeletable: 'the far box pulls it' }),
      ],
      ['a restore tried lately'],
    );
    const rings = [...container.querySelectorAll('circle[r="9"]')].map((c) => ({
      x: Number(c.getAttribute('cx')),
      heavy: c.getAttribute('stroke-width') === '4',
    }));
    expect(rings.map((r) => r.heavy)).toEqual([false, false, true]);
    const [same = 0, site = 0, away = 0] = rings.map((r) => r.x);
    expect(same).toBeLessThan(site);
    expect(site).toBeLessThan(away);
    // One dot for the one that something came back from, one stroke through the one that is none.
    expect(container.querySelectorAll('circle[r="3"]')).toHaveLength(1);
    expect([...container.querySelectorAll('path')].filter((p) => p.getAttribute('d')?.includes('L'))).toHaveLength(1);
    expect(screen.getByText('a restore tried lately')).toBeTruthy();
  });

  it('says of throw-away data that it needs none', () => {
    shown([rung(null, 'main', 'box', 'home')], [], false);
    expect(screen.getByText('needs none')).toBeTruthy();
  });
});
