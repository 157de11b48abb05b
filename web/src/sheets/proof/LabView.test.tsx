import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, render, screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { afterEach, describe, expect, it, vi } from 'vitest';
import type { PlanState } from '../../api/client';
import { PlanProvider } from '../../api/plan';
import * as questions from '../../api/questions';
import { LabView } from './LabView';

const change = (what: string, avoided: number, money: number, hours: number) => ({
  what,
  sheet: 'copies',
  money_minor: money,
  hours,
  avoided,
  per_money: money ? avoided / (money / 100) : null,
  per_hour: avoided / hours,
  loses: 0,
});
const LIVES = {
  years: 5,
  lifetimes: 20_000,
  seed: 1,
  any_odds: 0.02,
  low: 0.018,
  high: 0.022,
  money: 1234.5,
  datasets: [
    {
      dataset: 'letters',
      whole_odds: 0.02,
      low: 0.018,
      high: 0.022,
      part_odds: 0.1,
      days_mean: 1.25,
      days_p90: 3,
      days_p99: 40,
      money: 400,
      causes: [
        { cause: 'fire', title: 'fire or flood', lost_odds: 0.015, days: 0 },
        { cause: 'theft', title: 'theft', lost_odds: 0.005, days: 0 },
        { cause: 'disks', title: 'disks of the pool', lost_odds: 0, days: 1 },
      ],
    },
  ],
  changes: [
    change('snapshots', 300, 0, 0.5),
    change('a shelf disk', 900, 20_000, 6),
    change('an alarm', 100, 100, 0.2),
    change('a spare', -2, 20_000, 0.5),
  ],
  working: { name: 'expected loss', value: 1234.5, unit: '', formula: '', source: '', assumption: '', inputs: [] },
};

function shown(answer?: object) {
  const asked: object[] = [];
  vi.spyOn(questions, 'useQuestion').mockImplementation(((question: object) => {
    asked.push(question);
    return { answer, progress: undefined, stopped: false, wrong: '', stop: vi.fn(), again: vi.fn() };
  }) as never);
  const state = {
    meta: { id: 'p', revision: 1 },
    plan: { currency: 'EUR', datasets: [{ id: 'letters', name: 'letters' }] },
    evaluation: {},
  } as unknown as PlanState;
  render(
    <QueryClientProvider client={new QueryClient()}>
      <PlanProvider state={state}>
        <LabView />
      </PlanProvider>
    </QueryClientProvider>,
  );
  return asked;
}
const order = () =>
  Array.from(screen.getByLabelText('What to change first').querySelectorAll('tbody tr td:first-child'), (td) =>
    td.textContent.replace(' copies', ''),
  );

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

describe('the lab lived through', () => {
  it('names the causes that took something, and none that did not', () => {
    shown({ kind: 'lab', lives: LIVES });
    expect(screen.getByText('fire or flood 1 in 67, theft 1 in 200')).toBeTruthy();
    expect(screen.queryByText(/disks of the pool/)).toBeNull();
    expect(screen.getByText('1 235 EUR')).toBeTruthy();
  });

  it('ranks changes per hour, per money and by what they avoid', async () => {
    shown({ kind: 'lab', lives: LIVES });
    expect(order()).toEqual(['snapshots', 'an alarm', 'a shelf disk']);
    const ranked = screen.getByLabelText('ranked');
    await userEvent.selectOptions(ranked, 'per money');
    // What costs nothing comes first, then what avoids most for its money.
    expect(order()).toEqual(['snapshots', 'an alarm', 'a shelf disk']);
    await userEvent.selectOptions(ranked, 'by loss avoided');
    expect(order()).toEqual(['a shelf disk', 'snapshots', 'an alarm']);
    expect(screen.getByText(/1 more were tried/)).toBeTruthy();
  });

  it('asks anew for other years and more lifetimes', async () => {
    const asked = shown();
    await userEvent.selectOptions(screen.getByLabelText('Years'), '10 years');
    await userEvent.selectOptions(screen.getByLabelText('Lifetimes'), '100 000 times');
    expect(asked.at(-1)).toEqual({ kind: 'lab', years: 10, lifetimes: 100_000 });
  });
});
