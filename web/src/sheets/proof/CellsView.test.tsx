import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import { afterEach, describe, expect, it } from 'vitest';
import type { PlanState, Schemas } from '../../api/client';
import { PlanProvider } from '../../api/plan';
import { cell } from './cell.fixture';
import { CellsView } from './CellsView';

afterEach(cleanup);

const drawn = (today: Schemas['Cell'][], covers: object[]) =>
  render(
    <QueryClientProvider client={new QueryClient()}>
      <PlanProvider
        state={
          {
            meta: { id: 'p', revision: 4 },
            plan: {
              currency: 'EUR',
              datasets: [{ id: 'letters', name: 'letters', size_bytes: 1e12, worth: 'irreplaceable' }],
              jobs: [{ id: 'far', name: 'to the far box' }],
              accepted: [],
            },
            evaluation: {
              today: '2026-11-24',
              assumptions: [],
              jobs: [],
              hazards: [{ id: 'fire', title: 'fire at its site', short: 'fire', question: 'Fire takes the site.' }],
              proof: [cell({})],
              proof_today: today,
              covers,
            },
          } as unknown as PlanState
        }
      >
        <CellsView />
      </PlanProvider>
    </QueryClientProvider>,
  );

const first = () => screen.getAllByRole('button', { name: /letters, fire/ })[0];

describe('the proof as of today', () => {
  const waiting = {
    dataset: 'letters',
    covered: false,
    covers_from: '2027-06-02',
    job: 'far',
    why: 'its first copy is planned for 2027-06-01',
  };

  it('says from when a dataset is covered, and shows today beside once all runs', () => {
    drawn([cell({ fate: 'lost', rpo_seconds: null, rto_seconds: null, never_share: 1 })], [waiting]);
    expect(screen.getByText(/letters is covered from/).textContent).toContain('2027-06-02');
    expect(first()?.textContent).toContain('−25');
    fireEvent.change(screen.getByLabelText('As of'), { target: { value: 'today' } });
    expect(first()?.textContent).toContain('LOST');
    expect(screen.getByText(/lost as of today/)).toBeTruthy();
    // A risk is signed for what holds once all runs.
    expect(screen.queryByLabelText(/accept this/)).toBeNull();
  });

  it('says what has to come first where nobody knows from when a dataset is covered', () => {
    const why = 'pool second is still to be made: no copy of it or in it is there';
    drawn([cell({ fate: 'lost' })], [{ ...waiting, covers_from: null, why }]);
    expect(screen.getByText(/letters: pool second is still to be made/)).toBeTruthy();
  });

  it('says nothing where all is as it will be', () => {
    drawn([], [{ ...waiting, covered: true }]);
    expect(screen.queryByText(/covered from/)).toBeNull();
    fireEvent.change(screen.getByLabelText('As of'), { target: { value: 'today' } });
    expect(first()?.textContent).toContain('−25');
  });
});
