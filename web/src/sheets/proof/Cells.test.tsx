import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, fireEvent, render, screen, waitFor } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { afterEach, describe, expect, it, vi } from 'vitest';
import type { PlanState } from '../../api/client';
import { PlanProvider } from '../../api/plan';
import { cell } from './cell.fixture';
import { Cells, said } from './Cells';
import { Sign } from './Sign';
import { Story } from './Story';

const state = (accepted: object[] = []): PlanState =>
  ({
    meta: { id: 'p', revision: 4 },
    plan: {
      currency: 'EUR',
      datasets: [{ id: 'letters', name: 'letters', size_bytes: 1e12, worth: 'irreplaceable' }],
      jobs: [{ id: 'far', name: 'to the far box' }],
      accepted,
    },
    evaluation: {
      today: '2026-11-24',
      assumptions: [],
      jobs: [{ id: 'r', fetch: ['send one back: zfs send'] }],
    },
  }) as unknown as PlanState;
const within = (children: React.ReactNode, accepted: object[] = []) =>
  render(
    <QueryClientProvider client={new QueryClient()}>
      <PlanProvider state={state(accepted)}>{children}</PlanProvider>
    </QueryClientProvider>,
  );
const sent = () => {
  const calls: { method: string; url: string; body: unknown }[] = [];
  vi.stubGlobal('fetch', (url: string, init: RequestInit) => {
    calls.push({ method: init.method ?? 'GET', url, body: init.body ? JSON.parse(init.body as string) : null });
    return Promise.resolve(new Response(JSON.stringify(state()), { status: 200 }));
  });
  return calls;
};

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const COLUMNS = [{ id: 'fire', short: 'fire', title: 'fire at its site', question: 'Fire takes the site.' }];

describe('a cell of the proof', () => {
  it.each([
    [cell(), ['−25\u2009h', '↩ 3.5\u2009d']],
    [cell({ fate: 'lost', never_share: 1, rpo_seconds: null, rto_seconds: null }), ['LOST', '']],
    [cell({ fate: 'lost', never_share: 1, rpo_seconds: null, rto_seconds: null, signed: 'yes' }), ['signed', '']],
    [cell({ fate: 'down', rpo_seconds: 0 }), ['still', '3.5\u2009d']],
    [cell({ fate: 'exposed', rpo_seconds: 1_900_000 }), ['bare', '22\u2009d']],
    [cell({ fate: 'runs_on', rpo_seconds: 0, rto_seconds: 0 }), ['—', '']],
    [cell({ fate: 'fetch_again', rpo_seconds: null, rto_seconds: null }), ['fetch', '']],
  ] as const)('says its fate without colour', (found, words) => {
    expect(said(found)).toEqual(words);
  });

  it('is said whole to those who listen, what is seen first', () => {
    within(<Cells columns={COLUMNS} cells={[cell({ signed: 'changed' })]} chosen={null} onChoose={vi.fn()} />);
    const button = screen.getByRole('button');
    expect(button.getAttribute('aria-label')).toBe(
      'letters, fire at its site: −25\u2009h ↩ 3.5\u2009d, comes back, 25 h of work lost, back in 3.5 d, signed, but changed since',
    );
  });

  it('is chosen by focus, so that arrows walk from story to story', () => {
    const choose = vi.fn();
    within(<Cells columns={COLUMNS} cells={[cell()]} chosen={null} onChoose={choose} />);
    fireEvent.focus(screen.getByRole('button'));
    expect(choose).toHaveBeenCalledWith('letters/fire');
  });
});

describe('the story of a cell', () => {
  it('gives worst, average and best, and the phases to scale', () => {
    within(<Story cell={cell()} title="fire at its site" question="Fire takes the site." />);
    expect(screen.getByText(/25 h of work lost at worst, 13 h on average, 10 min at best, back in 3.5 d/)).toBeTruthy();
    const bar = screen.getByRole('img');
    expect(bar.getAttribute('aria-label')).toBe('notice 12 h, fetch 0 s, replace 2.5 d, transfer 11 h, verify 0 s');
    const widths = [...bar.querySelectorAll('rect')].map((r) => Number(r.getAttribute('width')));
    expect(widths).toHaveLength(3);
    expect((widths[1] ?? 0) / (widths[0] ?? 1)).toBeCloseTo(5, 5);
  });

  it('says in which share of the moments it is lost, and what brings it back in the others', () => {
    const found = cell({
      fate: 'lost',
      rpo_seconds: null,
      rto_seconds: null,
      never_share: 0.07,
      otherwise_job: 'far',
      otherwise_rpo_seconds: 14 * 86_400,
    });
    expect(said(found)).toEqual(['LOST', 'in 7\u2009%']);
    within(<Story cell={found} title="malware" question="?" />);
    expect(screen.getByText(/of the moments; in the others to the far box brings it back, 14 d/)).toBeTruthy();
  });

  it('is never rounded to nothing, nor to all', () => {
    const lost = { fate: 'lost', rpo_seconds: null, rto_seconds: null } as const;
    expect(said(cell({ ...lost, never_share: 0.002 }))[1]).toBe('< 1\u2009%');
    expect(said(cell({ ...lost, never_share: 0.999 }))[1]).toBe('in 99\u2009%');
  });

  it('says how it is fetched from the copy that is used', () => {
    within(<Story cell={cell({ copy_job: 'r' })} title="fire at its site" question="?" />);
    expect(screen.getByText(/send one back: zfs send/)).toBeTruthy();
  });

  it('says when others can read what is gone', () => {
    within(<Story cell={cell({ readable: true })} title="theft" question="?" />);
    expect(screen.getByText(/Others can read it/)).toBeTruthy();
  });
});

describe('signing a risk', () => {
  it('sends the mark of what the cell says now', async () => {
    const calls = sent();
    within(<Sign cell={cell()} />);
    await userEvent.type(screen.getByLabelText(/accept this/), 'we can live with it');
    await userEvent.type(screen.getByLabelText('who'), 'Ana');
    await userEvent.click(screen.getByText('sign'));
    await waitFor(() => expect(calls).toHaveLength(1));
    expect(calls[0]).toMatchObject({
      method: 'POST',
      url: '/api/plans/p/accepted',
      body: {
        dataset: 'letters',
        hazard: 'fire',
        reason: 'we can live with it',
        who: 'Ana',
        on: '2026-11-24',
        basis: '0123456789abcdef',
      },
    });
  });

  it('asks again when the plan has changed under it, and renews with one press', async () => {
    const calls = sent();
    const held = {
      id: 'r1',
      dataset: 'letters',
      hazard: 'fire',
      reason: 'so be it',
      on: '2026-01-02',
      who: '',
      basis: 'x',
    };
    within(<Sign cell={cell({ signed: 'changed' })} />, [held]);
    expect(screen.getByText(/the plan has changed under it/)).toBeTruthy();
    await userEvent.click(screen.getByText('still accepted'));
    await waitFor(() => expect(calls).toHaveLength(1));
    expect(calls[0]).toMatchObject({
      method: 'PUT',
      url: '/api/plans/p/accepted/r1',
      body: { reason: 'so be it', on: '2026-11-24', basis: '0123456789abcdef' },
    });
  });

  it('offers nothing to sign where nothing is lost', () => {
    const { container } = within(<Sign cell={cell({ fate: 'runs_on' })} />);
    expect(container.textContent).toBe('');
  });
});
