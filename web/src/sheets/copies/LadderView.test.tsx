import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, render, screen } from '@testing-library/react';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { api, type Items, type Plan, type PlanState, type Schemas } from '../../api/client';
import { PlanProvider } from '../../api/plan';
import { jobFields, newJob, readWindows, shaped, showWindows } from './fields';
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

describe('a job’s form', () => {
  const plan = {
    datasets: [{ id: 'letters', name: 'letters' }],
    pools: [{ id: 'main', name: 'main' }],
    disks: [],
    hosts: [],
    sites: [],
    buckets: [],
    exports: [{ id: 'mill', name: 'mill', protocol: 'rsync' }],
    accounts: [{ id: 'courier', login: 'courier' }],
    jobs: [],
    zone: 'UTC',
  } as unknown as Plan;
  const asks = (kind: string, more: object = {}) =>
    jobFields(plan, newJob(plan))
      .filter((f) => !f.hidden?.({ kind, 'schedule.kind': 'daily', 'schedule.nth': '0', ...more }))
      .map((f) => f.name);

  it('asks only for what the kind has a use for', () => {
    expect(asks('scrub')).toContain('pool');
    expect(asks('scrub')).not.toContain('datasets');
    expect(asks('scrub')).not.toContain('retention.daily');
    expect(asks('folder_mirror')).toContain('retention.trash_days');
    expect(asks('folder_mirror')).not.toContain('retention.monthly');
    expect(asks('bucket')).toContain('target_bucket');
    expect(asks('backup', { 'schedule.kind': 'after' })).toContain('after');
    expect(asks('backup', { 'schedule.kind': 'after' })).not.toContain('schedule.at');
    expect(asks('backup', { 'schedule.kind': 'monthly', 'schedule.nth': '-1' })).toContain('schedule.weekdays');
  });

  it('asks how rules count where there are some, and for windows of age as one line', () => {
    expect(asks('backup', { 'retention.daily': '7', 'retention.windows': '' })).toContain('retention.counting');
    expect(asks('backup', { 'retention.windows': '' })).not.toContain('retention.counting');
    expect(asks('backup', { 'retention.windows': 'day 30' })).toContain('retention.of_period');
    expect(asks('sync')).toContain('retention.trash_days');
    expect(asks('restart')).toContain('host');
    const line = 'hour 1, day 30, week 365';
    expect(showWindows(readWindows(line))).toBe(line);
    expect(readWindows(' ')).toEqual([]);
    expect(() => readWindows('fortnight 3')).toThrow('hour 1, day 30');
    expect(() => readWindows('day soon')).toThrow('how many days');
  });

  it('clears what another kind left behind', () => {
    const was: Items['jobs'] = {
      ...newJob(plan),
      target_pool: 'main',
      encrypted: true,
      key_kept_at: ['home'],
      after: 'x',
    };
    expect(shaped({ ...was, kind: 'scrub', pool: 'main' })).toMatchObject({
      datasets: [],
      pool: 'main',
      target_pool: null,
      key_kept_at: [],
      after: null,
      retention: { daily: 0, last: 0 },
    });
    expect(shaped({ ...was, kind: 'folder_mirror' }).retention).toMatchObject({ daily: 0, trash_days: 0 });
    const always = { ...was, schedule: { ...was.schedule, kind: 'minutes' as const }, lands_in: 'mill' };
    expect(shaped({ ...always, kind: 'sync' }).schedule.kind).toBe('minutes');
    expect(shaped({ ...always, kind: 'backup' }).schedule.kind).toBe('hourly');
    expect(shaped({ ...always, kind: 'drive' }).lands_in).toBeNull();
    expect(shaped({ ...was, kind: 'backup' })).toMatchObject({ target_pool: 'main', retention: { daily: 14 } });
  });
});
