import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, render, screen, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { afterEach, describe, expect, it } from 'vitest';
import type { PlanState, Schemas } from '../../api/client';
import { FORMS } from '../../api/forms';
import forms from '../../api/generated/forms.json';
import { PlanProvider } from '../../api/plan';
import { Rooms } from './Rooms';

const GB = 1_000_000_000;
const dataset = (id: string, parent: string | null, more: object = {}) => ({
  id,
  name: id,
  pool: 'ridge',
  parent,
  size_bytes: 100 * GB,
  quota_bytes: null,
  reserve_bytes: 0,
  use: 'files',
  compression: '',
  record_kib: null,
  encrypted: false,
  checksums: true,
  throw_away: false,
  owner: null,
  mode: '',
  ...more,
});
const promise = (name: string, thick: number, thin: number, has: number): Schemas['Promise'] => ({
  kind: 'pool',
  id: name,
  name,
  has_bytes: has * GB,
  thick_bytes: thick * GB,
  thin_bytes: thin * GB,
  over_bytes: Math.max(0, thick + thin - has) * GB,
  short_bytes: Math.max(0, thick - has) * GB,
  working: {
    name: `promised on ${name}`,
    value: (thick + thin) * GB,
    unit: 'bytes',
    formula: 'reservations and thick disks + quotas and thin disks',
    source: '',
    assumption: '',
    inputs: [],
  },
});

function shown(datasets: object[], promises: Schemas['Promise'][] = [], quotas: object[] = []) {
  const state = {
    meta: { id: 'p', revision: 1 },
    plan: {
      pools: [{ id: 'ridge', name: 'ridge' }],
      accounts: [{ id: 'ana', login: 'ana', full_name: 'Ana' }],
      hosts: [],
      sites: [],
      datasets,
      quotas,
    },
    evaluation: { promises, cautions: [] },
  } as unknown as PlanState;
  const client = new QueryClient();
  client.setQueryData(FORMS, forms);
  render(
    <QueryClientProvider client={client}>
      <PlanProvider state={state}>
        <Rooms />
      </PlanProvider>
    </QueryClientProvider>,
  );
}

const rows = (region: string) =>
  within(screen.getByRole('region', { name: region }))
    .getAllByRole('row')
    .slice(1)
    .map((r) =>
      within(r)
        .getAllByRole('cell')
        .map((c) => c.textContent),
    );

afterEach(cleanup);

describe('Rooms', () => {
  it('draws children below their parent, as deep as they lie, whatever order they were made in', () => {
    shown([dataset('raw', 'photos'), dataset('films', null), dataset('photos', null), dataset('2026', 'raw')]);
    expect(rows('Datasets').map((r) => r[0])).toEqual(['films', 'photos', '— raw', '— — 2026']);
  });

  it('names quota, reservation and what is unusual of a dataset', () => {
    shown([
      dataset('photos', null, {
        quota_bytes: 500 * GB,
        reserve_bytes: 50 * GB,
        encrypted: true,
        checksums: false,
        owner: 'ana',
        mode: '0750',
      }),
    ]);
    const [row] = rows('Datasets');
    expect(row?.slice(2, 5)).toEqual(['100 GB', '500 GB', '50.0 GB']);
    expect(row?.[5]).toBe('encrypted, no checksums, of ana, 0750');
  });

  it('says by how much more is promised than there is, and shows the working', async () => {
    shown([dataset('a', null)], [promise('ridge', 600, 600, 1000), promise('anvil', 1200, 0, 1000)]);
    const told = within(screen.getByRole('region', { name: 'Promises' }));
    expect(told.getByText(/over by 200 GB/, { selector: ':not(.text-danger)' })).toBeTruthy();
    // Thick room that is not there is a danger; thin room that is not there is a promise.
    expect(told.getAllByText(/over by/).map((b) => b.className)).toEqual(['', 'text-danger']);
    await userEvent.click(told.getByRole('button', { name: /anvil/ }));
    expect(screen.getByRole('dialog').textContent).toContain('reservations and thick disks + quotas and thin disks');
  });

  it('lists whose quota it is and of what, and what an empty list means', () => {
    shown([dataset('homes', null)], [], [{ id: 'q', account: 'ana', dataset: 'homes', bytes: 40 * GB }]);
    expect(rows('Quotas of people')).toEqual([['ana', 'homes', '40.0 GB']]);
    expect(screen.getByText(/Nothing is promised/)).toBeTruthy();
    cleanup();
    shown([dataset('homes', null)]);
    expect(screen.getByText(/Nobody has a quota/)).toBeTruthy();
  });
});
