import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, render, screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { afterEach, describe, expect, it, vi } from 'vitest';
import type { PlanState, Schemas } from '../../api/client';
import { PlanProvider } from '../../api/plan';
import { RunSheet } from './RunSheet';

type Move = Schemas['Shuffle'];
const working = { name: 'copy', value: 2, unit: 'h', formula: '', source: '', assumption: '', inputs: [] };
const step = (key: string, text: string): Move['steps'][number] => ({
  key,
  verb: 'copy',
  text,
  lanes: [],
  source: 'a',
  target: 'b',
  starts_hours: 0,
  hours: 2,
  danger: key === 'wipe:a' ? ['wipes a disk for good'] : [],
  back_out: 'Stop it.',
  copies_after: [{ dataset: 'x', name: 'letters', copies: 1 }],
  least_copies: 1,
  working,
});
const move = (more: Partial<Move> = {}): Move => ({
  wanted: true,
  possible: true,
  finished: false,
  steps: [step('copy:x>p', 'Copy letters.'), step('wipe:a', 'Wipe D1.')],
  ticked: [],
  lanes: [],
  hours: 4,
  pace: 1,
  single_copy_steps: 1,
  needs: '',
  borrow_bytes: null,
  states_searched: 3,
  working,
  ...more,
});
const state = (ticks: object[] = []): PlanState =>
  ({
    meta: { id: 'p', revision: 7 },
    plan: { ticks },
    evaluation: { today: '2026-11-24' },
  }) as unknown as PlanState;

function shown(found: Move, plan = state()) {
  const sent: { method: string; url: string; body: unknown }[] = [];
  vi.stubGlobal(
    'fetch',
    vi.fn((url: string, init: RequestInit) => {
      sent.push({ method: init.method ?? '', url, body: init.body ? JSON.parse(init.body as string) : null });
      return Promise.resolve(new Response(JSON.stringify(plan), { status: 200 }));
    }),
  );
  render(
    <QueryClientProvider client={new QueryClient()}>
      <PlanProvider state={plan}>
        <RunSheet move={found} onWorking={() => undefined} />
      </PlanProvider>
    </QueryClientProvider>,
  );
  return sent;
}

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe('RunSheet', () => {
  it('ticks the next step alone, with the hours that it took', async () => {
    const sent = shown(move());
    expect(screen.getAllByRole('button', { name: 'done' })).toHaveLength(1);
    await userEvent.type(screen.getByLabelText('hours that step 1 took'), '3.5');
    await userEvent.click(screen.getByRole('button', { name: 'done' }));
    expect(sent).toEqual([
      {
        method: 'POST',
        url: '/api/plans/p/ticks',
        body: { step: 'copy:x>p', on: '2026-11-24', outcome: 'done', hours: 3.5, who: '', note: '' },
      },
    ]);
  });

  it('says what is wrong with the hours and sends nothing', async () => {
    const sent = shown(move());
    await userEvent.type(screen.getByLabelText('hours that step 1 took'), 'a day');
    await userEvent.click(screen.getByRole('button', { name: 'failed' }));
    expect(screen.getByRole('alert').textContent).toBe('write the hours as 16.5');
    expect(sent).toEqual([]);
  });

  it('shows dangers, the copies left, and only the last tick can be taken back', async () => {
    const ticked = (tick: string): Move['ticked'][number] => ({
      tick,
      key: tick,
      text: `Step ${tick}.`,
      outcome: 'done',
      planned_hours: 2,
      took_hours: 3,
      fits: true,
    });
    const sent = shown(move({ ticked: [ticked('t1'), ticked('t2')], pace: 1.5 }), state([{ id: 't1' }, { id: 't2' }]));
    expect(screen.getByText('wipes a disk for good')).toBeTruthy();
    expect(screen.getByText(/times as long as planned/).textContent).toContain('1.50');
    const [untick, ...others] = screen.getAllByRole('button', { name: 'untick' });
    expect(others).toHaveLength(0);
    if (untick) await userEvent.click(untick);
    expect(sent[0]?.method).toBe('DELETE');
    expect(sent[0]?.url).toBe('/api/plans/p/ticks/t2');
  });

  it('says so when all is in its place', () => {
    shown(move({ steps: [], finished: true }));
    expect(screen.getByText(/All is in its place/)).toBeTruthy();
  });
});
