import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, render, screen, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { afterEach, describe, expect, it, vi } from 'vitest';
import { api, type PlanState, type Schemas } from '../../api/client';
import { PlanProvider } from '../../api/plan';
import { Cards } from './Cards';

const card = (thing: string, system: string, text: string, scanned = false): Schemas['Card'] => ({
  who: 'ana',
  thing,
  system,
  text,
  note: 'reading only',
  scanned,
});
const account = (login: string, enabled = true) => ({ id: login, login, full_name: login, enabled });

function shown(
  cards: Schemas['Card'][],
  accounts = [account('ana'), account('bo', false)],
  clients: string[] = [],
  served = true,
) {
  const asked = vi.spyOn(api, 'GET');
  if (!served) asked.mockRejectedValueOnce(new TypeError('Failed to fetch'));
  asked.mockResolvedValue({
    data: { cards, codes: { 'smb://box/files': 'data:image/svg+xml,x' } },
    response: new Response(),
  } as never);
  const state = {
    meta: { id: 'p', revision: 1 },
    plan: { accounts, exports: clients.length ? [{ clients }, { clients }] : [] },
    evaluation: {},
  } as unknown as PlanState;
  render(
    <QueryClientProvider client={new QueryClient()}>
      <PlanProvider state={state}>
        <Cards />
      </PlanProvider>
    </QueryClientProvider>,
  );
}

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

describe('Cards', () => {
  it('offers each person who is on and each machine once', async () => {
    shown([], undefined, ['10.0.0.2']);
    const offered = within(screen.getByLabelText('Cards for')).getAllByRole('option');
    expect(offered.map((o) => o.textContent)).toEqual(['ana', '10.0.0.2']);
    expect(await screen.findByText('ana reaches nothing yet.')).toBeTruthy();
  });

  it('gathers the systems of one share on one card, with what the code says', async () => {
    shown([
      card('files', 'Windows', 'net use Z: files'),
      card('files', 'phone', 'smb://box/files', true),
      card('films', 'Windows', 'net use Y: films'),
    ]);
    const files = within(await screen.findByRole('region', { name: 'Card files' }));
    expect(files.getByText('net use Z: files')).toBeTruthy();
    expect(files.getByAltText('QR code of smb://box/files')).toBeTruthy();
    expect(files.queryByText('net use Y: films')).toBeNull();
  });

  it('finds the cards of one among all that the device took along, where nobody answers', async () => {
    const all = [card('files', 'Windows', 'net use Z: files'), { ...card('films', 'Windows', 'for bo'), who: 'bo' }];
    shown(all, undefined, [], false);
    expect(await screen.findByText('net use Z: files')).toBeTruthy();
    expect(screen.queryByText('for bo')).toBeNull();
  });

  it('copies a text and says so', async () => {
    const user = userEvent.setup(); // with a clipboard of its own
    shown([card('files', 'Windows', 'net use Z: files')]);
    await user.click(await screen.findByRole('button', { name: 'copy files for Windows' }));
    expect(await screen.findByText('copied')).toBeTruthy();
    expect(await navigator.clipboard.readText()).toBe('net use Z: files');
  });

  it('selects the text where the browser gives no clipboard', async () => {
    const user = userEvent.setup();
    vi.spyOn(navigator.clipboard, 'writeText').mockRejectedValue(new Error('not allowed'));
    shown([card('files', 'Windows', 'net use Z: files')]);
    await user.click(await screen.findByRole('button', { name: 'copy files for Windows' }));
    expect(await screen.findByText('selected')).toBeTruthy();
    expect(window.getSelection()?.toString()).toBe('net use Z: files');
  });

  it('says what has to be there first', () => {
    shown([], []);
    expect(screen.getByText(/Add accounts and shares first/)).toBeTruthy();
  });
});
