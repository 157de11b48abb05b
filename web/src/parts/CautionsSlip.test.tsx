import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, render, screen } from '@testing-library/react';
import { MemoryRouter } from 'react-router';
import { afterEach, describe, expect, it, vi } from 'vitest';
import type { PlanState, Schemas } from '../api/client';
import { PlanProvider } from '../api/plan';
import { causeLine, CautionsSlip } from './CautionsSlip';

afterEach(cleanup);

const finding = (about: string, why: string): Schemas['Caution'] => ({
  rule: 'never_restored',
  severity: 'caution',
  sheet: 'copies',
  about_kind: 'job',
  about,
  name: about,
  why,
  remedy: 'Restore one item.',
  could: '',
  fix: null,
});
const cause = (more: Partial<Schemas['Cause']>): Schemas['Cause'] => ({
  rule: 'never_restored',
  severity: 'caution',
  sheet: 'copies',
  remedy: 'Restore one item.',
  could: '',
  members: [],
  follows: [],
  touches_money: 0,
  ...more,
});
const drawn = (...causes: Schemas['Cause'][]) =>
  render(
    <MemoryRouter>
      <QueryClientProvider client={new QueryClient()}>
        <PlanProvider
          state={{ meta: { id: 'p', revision: 1 }, plan: {}, evaluation: { causes } } as unknown as PlanState}
        >
          <CautionsSlip onClose={vi.fn()} />
        </PlanProvider>
      </QueryClientProvider>
    </MemoryRouter>,
  );

describe('cautions by their cause', () => {
  it('says a reason once for all whom it concerns, with one way out', () => {
    const both = [finding('to the mill', 'No restore was tried.'), finding('to the ark', 'No restore was tried.')];
    drawn(cause({ members: both }));
    expect(screen.getByText('1 caution')).toBeTruthy();
    expect(screen.getAllByText(/No restore was tried/)).toHaveLength(1);
    expect(screen.getByText('to the mill; to the ark')).toBeTruthy();
    expect(screen.getAllByText(/Restore one item/)).toHaveLength(1);
  });

  it('keeps reasons apart that differ, and tells what follows', () => {
    const members = [finding('a', 'It is 90 % full.'), finding('b', 'It is 95 % full.')];
    drawn(cause({ members, follows: [finding('c', 'It is full within a year.')] }));
    expect(screen.getByText(/It is 90 % full/)).toBeTruthy();
    expect(screen.getByText(/It is 95 % full/)).toBeTruthy();
    expect(screen.getByText('From this follows: never restored (c).')).toBeTruthy();
  });

  it('fits one line at the foot of a sheet', () => {
    const members = [finding('a', 'one'), finding('b', 'two'), finding('c', 'three')];
    expect(causeLine(cause({ members }))).toEqual({ name: 'a and 2 more', why: 'one' });
    expect(causeLine(cause({ members: members.slice(0, 1) }))).toEqual({ name: 'a', why: 'one' });
  });
});
