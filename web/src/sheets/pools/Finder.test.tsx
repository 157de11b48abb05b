import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, render, screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import type { PlanState } from '../../api/client';
import { PlanProvider } from '../../api/plan';
import * as questions from '../../api/questions';
import { Finder } from './Finder';

const disk = (n: number) => ({ id: `d${n}`, label: `D${n}`, capacity_bytes: 4e12, host: 'box', bay: `3.5-${n}` });
const state = (count: number): PlanState =>
  ({
    meta: { id: 'p', revision: 1 },
    plan: {
      currency: 'EUR',
      disks: Array.from({ length: count }, (_, n) => disk(n + 1)),
      hosts: [{ id: 'box', name: 'box' }],
      pools: [{ id: 'main', name: 'main', standing: true, groups: [['d1']], spares: ['d2'], tier: [] }],
    },
    evaluation: {},
  }) as unknown as PlanState;

type Asked = { kind: string; disks: string[]; wish: Record<string, unknown> } | null;
let asked: Asked[] = [];

/** The finder over `count` disks, with a server that has not answered yet or answered `answer`. */
function shown(count: number, answer?: object) {
  asked = [];
  vi.spyOn(questions, 'useQuestion').mockImplementation(((question: Asked) => {
    asked.push(question);
    const found = question?.kind === 'finder' ? answer : undefined;
    return { answer: found, progress: undefined, stopped: false, wrong: '', stop: vi.fn(), again: vi.fn() };
  }) as never);
  render(
    <QueryClientProvider client={new QueryClient()}>
      <PlanProvider state={state(count)}>
        <Finder onMade={() => undefined} />
      </PlanProvider>
    </QueryClientProvider>,
  );
}
const lastOf = (kind: string) => asked.filter((a) => a?.kind === kind).at(-1);
const write = async (label: string, written: string) => {
  const field = screen.getByLabelText(label);
  await userEvent.clear(field);
  await userEvent.type(field, `${written}{Enter}`);
};

beforeEach(() => {
  asked = [];
});
afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

describe('Finder', () => {
  it('starts with the disks that no standing pool has, spares counted as taken', () => {
    shown(5);
    expect(lastOf('finder')?.disks).toEqual(['d3', 'd4', 'd5']);
    expect(screen.getByText('3 of at most 24 chosen')).toBeTruthy();
  });

  it('takes no more than it can weigh, and frees a place when one is unticked', async () => {
    shown(30);
    expect(screen.getByText('24 of at most 24 chosen')).toBeTruthy();
    const late = screen.getByLabelText<HTMLInputElement>(/^D30 /);
    expect(late.disabled).toBe(true);
    await userEvent.click(screen.getByLabelText(/^D3 /));
    expect(late.disabled).toBe(false);
    await userEvent.click(late);
    expect(lastOf('finder')?.disks).toContain('d30');
    expect(lastOf('finder')?.disks).not.toContain('d3');
  });

  it('asks with sizes and money as they are written, and not with what cannot be read', async () => {
    shown(5);
    await write('Usable at least', '6 TB');
    await write('Money at most', '450');
    expect(lastOf('finder')?.wish).toMatchObject({ usable_bytes: 6e12, budget_minor: 45_000 });
    await write('Bays at most', '0');
    expect(screen.getByRole('alert').textContent).toContain('from 1 to 60 bays');
    expect(lastOf('finder')?.wish).toMatchObject({ usable_bytes: 6e12, bays: null });
    await write('Bays at most', '4');
    expect(screen.queryByRole('alert')).toBeNull();
    expect(lastOf('finder')?.wish).toMatchObject({ bays: 4 });
  });

  it('says which wish cannot be had and what comes nearest, money in money', () => {
    shown(5, {
      found: {
        proposals: [],
        misses: [
          { target: 'usable', wanted: '90.0 TB', nearest: '8.00 TB', nearest_value: 8e12, alone: false },
          { target: 'budget', wanted: '100', nearest: '300', nearest_value: 30_000, alone: true },
        ],
        beside: [],
        weighed: 41,
        fitting: 0,
        beaten: 0,
      },
    });
    expect(screen.getByText('Not to be had')).toBeTruthy();
    const told = screen.getAllByRole('listitem').map((li) => li.textContent);
    expect(told[0]).toContain('usable at least 90.0 TB');
    expect(told[0]).toContain('with the other wishes kept, is 8.00 TB');
    expect(told[1]).toContain('with every other wish given up, is');
    expect(told[1]).toContain('300');
    expect(told[1]).toContain('EUR');
  });

  it('asks what to buy only when told to, and nothing at all over no disks', async () => {
    shown(5);
    expect(lastOf('basket')).toBeUndefined();
    await userEvent.click(screen.getByLabelText(/over the price list/));
    expect(lastOf('basket')?.disks).toEqual(['d3', 'd4', 'd5']);
    await userEvent.click(screen.getByRole('button', { name: 'none' }));
    expect(screen.getByText(/Tick some disks/)).toBeTruthy();
    // To buy from nothing is a fair question; to lay out nothing is not.
    expect(asked.slice(-2).map((a) => a?.kind)).toEqual([undefined, 'basket']);
  });
});
