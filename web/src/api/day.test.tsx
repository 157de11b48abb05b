import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { act, cleanup, render, screen } from '@testing-library/react';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import type { PlanState } from './client';
import { dayIn, useNewDay } from './day';
import { planKey, PlanProvider } from './plan';

const state = (today: string): PlanState =>
  ({ meta: { id: 'p', revision: 1 }, plan: { zone: 'Asia/Tokyo' }, evaluation: { today } }) as unknown as PlanState;

function Shown() {
  return <p>{useNewDay() ?? 'the same day'}</p>;
}

beforeEach(() => {
  vi.useFakeTimers();
  vi.setSystemTime('2026-11-26T14:59:50Z'); // ten seconds to midnight in Tokyo
});
afterEach(() => {
  cleanup();
  vi.useRealTimers();
});

describe('a page that stays open', () => {
  it('asks for the new day once it has begun where the lab is, and says so when it shows it', async () => {
    const client = new QueryClient();
    const asked = vi.spyOn(client, 'invalidateQueries').mockResolvedValue();
    const page = (s: PlanState) => (
      <QueryClientProvider client={client}>
        <PlanProvider state={s}>
          <Shown />
        </PlanProvider>
      </QueryClientProvider>
    );
    const view = render(page(state('2026-11-26')));
    expect(asked).not.toHaveBeenCalled();
    await act(() => vi.advanceTimersByTimeAsync(21_000));
    expect(asked).toHaveBeenCalledWith({ queryKey: planKey('p') });
    expect(screen.getByText('the same day')).toBeTruthy();
    view.rerender(page(state('2026-11-27')));
    expect(screen.getByText('2026-11-27')).toBeTruthy();
    const calls = asked.mock.calls.length;
    await act(() => vi.advanceTimersByTimeAsync(60_000));
    expect(asked.mock.calls.length).toBe(calls);
  });
  it('reckons the date by the lab’s zone', () => {
    const moment = new Date('2026-11-26T23:30:00Z');
    expect(dayIn('Europe/Lisbon', moment)).toBe('2026-11-26');
    expect(dayIn('Europe/Berlin', moment)).toBe('2026-11-27');
  });
});
