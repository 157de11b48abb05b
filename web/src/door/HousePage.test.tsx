import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, render, screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { MemoryRouter } from 'react-router';
import { afterEach, describe, expect, it, vi } from 'vitest';
import { VISITOR } from '../api/visitor';
import { HousePage } from './HousePage';

const waiting = vi.hoisted(() => ({ queue: [] as unknown[] }));
vi.mock('../api/queue', () => ({ readQueue: () => Promise.resolve(waiting.queue) }));

function show(queue: unknown[]) {
  waiting.queue = queue;
  const sent: string[] = [];
  vi.stubGlobal('fetch', (address: string | Request) => {
    sent.push(typeof address === 'string' ? address : address.url);
    return Promise.resolve(
      new Response(JSON.stringify({ title: 'no', detail: 'no', status: 500, errors: [] }), { status: 500 }),
    );
  });
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  client.setQueryData(VISITOR, { name: 'Rui', role: 'hands', signed_in: true, anybody: true });
  render(
    <QueryClientProvider client={client}>
      <MemoryRouter>
        <HousePage />
      </MemoryRouter>
    </QueryClientProvider>,
  );
  return () => sent.filter((a) => a.endsWith('/visitor/out'));
}

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe('signing out', () => {
  it('says first what of this device was not taken yet', async () => {
    const out = show([{ key: 'a' }, { key: 'b' }]);
    await userEvent.click(screen.getByRole('button', { name: 'sign out' }));
    expect(await screen.findByText(/2 changes wait on this device/)).toBeTruthy();
    expect(out()).toHaveLength(0);
    await userEvent.click(screen.getByRole('button', { name: 'sign out all the same' }));
    expect(out()).toHaveLength(1);
  });

  it('goes at once where nothing waits', async () => {
    const out = show([]);
    await userEvent.click(screen.getByRole('button', { name: 'sign out' }));
    expect(out()).toHaveLength(1);
  });
});
