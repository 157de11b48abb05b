import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, render, screen, waitFor } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { afterEach, describe, expect, it, vi } from 'vitest';
import type { PlanState } from '../../api/client';
import { PlanProvider } from '../../api/plan';
import * as questions from '../../api/questions';
import { ArrangeView } from './ArrangeView';
import { NightsView } from './NightsView';

const counts = (overlaps: number) => ({
  overlaps,
  out_of_window: 0,
  too_early: 0,
  late: 0,
  mean_age_hours: 12.3,
});
const JOB = { id: 'a', name: 'papers', schedule: { kind: 'daily', at: '02:10' } };
const ARRANGED = {
  kind: 'arrange',
  arrangement: {
    moves: [{ job: 'a', before: '23:30', after: '02:10', why: 'met the scrub on the disks of ridge' }],
    unfit: [
      { job: 'b', why: 'the window is shorter than the run', remedies: ['a window 2.0 h longer', 'a faster link'] },
    ],
    before: counts(35),
    after: counts(0),
    jobs: [JOB],
  },
};
const state = (jobs: object[]): PlanState =>
  ({
    meta: { id: 'p', revision: 1, pinned: null },
    plan: { jobs },
    evaluation: { today: '2026-11-24', week: { quiet_from_hour: 23, quiet_to_hour: 7 } },
  }) as unknown as PlanState;

function shown(view: React.ReactNode, answer?: object, jobs: object[] = [JOB, { id: 'b', name: 'images' }]) {
  vi.spyOn(questions, 'useQuestion').mockImplementation((() => ({
    answer,
    progress: undefined,
    stopped: false,
    wrong: '',
    stop: vi.fn(),
    again: vi.fn(),
  })) as never);
  return render(
    <QueryClientProvider client={new QueryClient()}>
      <PlanProvider state={state(jobs)}>{view}</PlanProvider>
    </QueryClientProvider>,
  );
}

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
  vi.unstubAllGlobals();
});

describe('arrange for me', () => {
  it('says what moves and why, and exactly what cannot fit', () => {
    shown(<ArrangeView onDone={vi.fn()} />, ARRANGED);
    expect(screen.getAllByText('met the scrub on the disks of ridge').length).toBeGreaterThan(0);
    expect(screen.getByLabelText('Does not fit').textContent).toBe(
      'images does not fit: the window is shorter than the run.It would fit with a window 2.0 h longer; or with a faster link.',
    );
    expect(screen.getByText('35')).toBeTruthy();
  });

  it('draws a night as one piece: half past eleven lies left of ten past two', () => {
    const { container } = shown(<ArrangeView onDone={vi.fn()} />, ARRANGED);
    const [before = 0, after = 0] = [...container.querySelectorAll('circle')].map((c) => Number(c.getAttribute('cx')));
    expect(after - before).toBeCloseTo((34 * 160) / 60, 5);
  });

  it('moves them all in one change, and shows the week', async () => {
    const calls: string[] = [];
    vi.stubGlobal('fetch', (url: string, init: RequestInit) => {
      calls.push(`${init.method ?? ''} ${url} ${init.body as string}`);
      return Promise.resolve(new Response(JSON.stringify(state([])), { status: 200 }));
    });
    const done = vi.fn();
    shown(<ArrangeView onDone={done} />, ARRANGED);
    await userEvent.click(screen.getByText('move it'));
    await waitFor(() => expect(done).toHaveBeenCalled());
    expect(calls).toEqual(['POST /api/plans/p/starts {"starts":{"a":"02:10"}}']);
  });

  it('says that nothing has to move', () => {
    const fits = { ...ARRANGED.arrangement, moves: [], unfit: [], jobs: [], before: counts(0) };
    shown(<ArrangeView onDone={vi.fn()} />, { kind: 'arrange', arrangement: fits });
    expect(screen.getByText('Nothing has to move: it fits as it is.')).toBeTruthy();
  });
});

describe('the nights of a year', () => {
  const night = (day: string, hours: number, slowed: number) => ({
    day,
    runs: 3,
    busy_hours: hours,
    ends_at: `${day}T04:30:00+00:00`,
    slowed,
    worst_job: 'a',
    worst_slowdown: 1.5,
  });
  it('marks the longest of each month and says who is slowed', () => {
    const worst = night('2027-01-16', 9, 1);
    const { container } = shown(<NightsView />, {
      kind: 'nights',
      nights: [night('2027-01-01', 2, 0), worst],
      worst: [worst],
    });
    expect(screen.getByText('papers, 1.5 times as long')).toBeTruthy();
    const fills = [...container.querySelectorAll('svg rect')].map((r) => r.getAttribute('fill'));
    expect(fills).toEqual(['var(--data)', 'var(--ink)']);
  });
  it('without jobs says so', () => {
    shown(<NightsView />, undefined, []);
    expect(screen.getByText('No jobs yet: the nights are empty.')).toBeTruthy();
  });
});
