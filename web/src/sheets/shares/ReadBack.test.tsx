import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, render, screen, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { afterEach, describe, expect, it, vi } from 'vitest';
import type { PlanState, Schemas } from '../../api/client';
import { FORMS } from '../../api/forms';
import forms from '../../api/generated/forms.json';
import { PlanProvider } from '../../api/plan';
import { ReadBack } from './ReadBack';

const state = {
  meta: { id: 'p', revision: 3, pinned: null },
  plan: {
    hosts: [
      { id: 'h1', name: 'heron' },
      { id: 'h2', name: 'wren' },
    ],
  },
  evaluation: { today: '2026-11-24' },
} as unknown as PlanState;

const report = (more: Partial<Schemas['Report']> = {}): Schemas['Report'] => ({
  kind: 'exports',
  lines: [
    { number: 1, text: '/srv/a 10.0.0.2(rw)', verdict: 'understood', why: '' },
    { number: 2, text: '/srv/b *(crossmnt)', verdict: 'not understood', why: 'option crossmnt' },
    { number: 3, text: '# done', verdict: 'no matter', why: 'a comment' },
  ],
  proposals: [
    { collection: 'exports', what: 'same', name: 'kept', item: { id: 'e1', name: 'kept' }, why: '' },
    { collection: 'exports', what: 'changed', name: 'turned', item: { id: 'e2', name: 'turned' }, why: '' },
    { collection: 'exports', what: 'new', name: 'found', item: { name: 'found' }, why: '' },
  ],
  differences: ['export turned is changed against the plan'],
  ...more,
});

/** The view with a server that answers a reading with `found` and a change with `status`. */
function shown(found: Schemas['Report'], status = 200) {
  const sent: { method: string; url: string; body: string }[] = [];
  vi.stubGlobal(
    'fetch',
    vi.fn((url: string, init: RequestInit) => {
      sent.push({ method: init.method ?? '', url, body: init.body as string });
      if (url.includes('/read/')) return Promise.resolve(new Response(JSON.stringify(found), { status: 200 }));
      const answer = status === 200 ? state : { detail: 'name at least one host or network' };
      return Promise.resolve(new Response(JSON.stringify(answer), { status }));
    }),
  );
  const client = new QueryClient();
  client.setQueryData(FORMS, forms);
  render(
    <QueryClientProvider client={client}>
      <PlanProvider state={state}>
        <ReadBack />
      </PlanProvider>
    </QueryClientProvider>,
  );
  return sent;
}

const readIt = () => userEvent.click(screen.getByRole('button', { name: 'read it' }));

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe('ReadBack', () => {
  it('sends the text as it stands, of the kind and the host that were chosen', async () => {
    const sent = shown(report());
    expect(screen.getByText('Nothing was read yet.')).toBeTruthy();
    await userEvent.selectOptions(screen.getByLabelText('Kind of file'), 'exports');
    await userEvent.selectOptions(screen.getByLabelText('Host of the file'), 'wren');
    await userEvent.type(screen.getByLabelText('Text of the file'), '/srv/a 10.0.0.2(rw)');
    await readIt();
    await screen.findByText('Against the plan');
    expect(sent).toHaveLength(1);
    expect(sent[0]?.url).toBe('/api/plans/p/read/exports?host=h2');
    expect(sent[0]?.body).toContain('/srv/a 10.0.0.2(rw)');
  });

  it('counts every line and shows those that were not understood with why', async () => {
    shown(report());
    await readIt();
    const said = await screen.findByText('Not understood');
    expect(screen.getByText(/lines understood/).textContent).toBe('1 of 3 lines understood, 1 not.');
    const missed = within(said.nextElementSibling as HTMLElement).getAllByRole('listitem');
    expect(missed.map((m) => m.textContent)).toEqual(['2 /srv/b *(crossmnt) option crossmnt']);
    expect(screen.getByText('export turned is changed against the plan')).toBeTruthy();
  });

  it('takes a changed thing over in its place and a new one as new, and reads again', async () => {
    const sent = shown(report());
    await readIt();
    await screen.findByText('Against the plan');
    const takes = screen.getAllByRole('button', { name: 'take over' });
    expect(takes).toHaveLength(2); // what is the same already needs none
    await userEvent.click(takes[0] as HTMLElement);
    await vi.waitFor(() => expect(sent).toHaveLength(3));
    await userEvent.click(takes[1] as HTMLElement);
    await vi.waitFor(() => expect(sent).toHaveLength(5));
    expect([sent[1], sent[3]]).toEqual([
      { method: 'PUT', url: '/api/plans/p/exports/e2', body: '{"id":"e2","name":"turned"}' },
      { method: 'POST', url: '/api/plans/p/exports', body: '{"name":"found"}' },
    ]);
    expect(sent[2]?.url).toContain('/read/');
  });

  it('says what hinders a taking over, with the name of the thing, and keeps the report', async () => {
    shown(report(), 422);
    await readIt();
    await screen.findByText('Against the plan');
    await userEvent.click(screen.getAllByRole('button', { name: 'take over' })[1] as HTMLElement);
    expect((await screen.findByRole('alert')).textContent).toContain('found: ');
    expect(screen.getByText('Against the plan')).toBeTruthy();
  });

  it('says so when the file says what the plan says', async () => {
    shown(report({ differences: [], proposals: [], lines: [] }));
    await readIt();
    expect(await screen.findByText('It says what the plan says.')).toBeTruthy();
    expect(screen.getByText('Nothing of it is a thing of the plan.')).toBeTruthy();
    expect(screen.queryByText('Not understood')).toBeNull();
  });
});
