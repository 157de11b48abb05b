/** The open plan: read through one query, changed through one function. */

import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { createContext, useContext, type ReactNode } from 'react';
import { api, call, Refused, unwrap, type Collection, type Items, type PlanState } from './client';

export const planKey = (id: string) => ['plan', id] as const;

export function usePlanQuery(id: string) {
  return useQuery({
    queryKey: planKey(id),
    queryFn: async () => unwrap(await api.GET('/api/plans/{plan_id}', { params: { path: { plan_id: id } } })),
  });
}

const PlanContext = createContext<PlanState | null>(null);

export function PlanProvider({ state, children }: { state: PlanState; children: ReactNode }) {
  return <PlanContext.Provider value={state}>{children}</PlanContext.Provider>;
}

/** The plan that the sheets draw, with all that follows from it. */
export function usePlan(): PlanState {
  const state = useContext(PlanContext);
  if (!state) throw new Error('no plan is open');
  return state;
}

export type Edit =
  | {
      [C in Collection]: { do: 'add'; collection: C; item: Omit<Items[C], 'id'> & { id?: string } };
    }[Collection]
  | { [C in Collection]: { do: 'put'; collection: C; item: Items[C] } }[Collection]
  | { do: 'remove'; collection: Collection; id: string }
  | { do: 'undo' | 'redo' }
  | { do: 'pin'; revision: number | null }
  | { do: 'restore'; revision: number }
  | {
      do: 'luns';
      luns: { count: number; size_bytes: number; prefix: string; dataset: string; thick: boolean };
    }
  | { do: 'starts'; starts: Record<string, string> }
  | {
      do: 'settings';
      settings: { name?: string; variant?: string; currency?: string; zone?: string };
    };

function send(base: string, edit: Edit, revision: number): Promise<unknown> {
  switch (edit.do) {
    case 'add':
      return call('POST', `${base}/${edit.collection}`, edit.item, revision);
    case 'put':
      return call('PUT', `${base}/${edit.collection}/${edit.item.id}`, edit.item, revision);
    case 'remove':
      return call('DELETE', `${base}/${edit.collection}/${edit.id}`, undefined, revision);
    case 'pin':
      return call('PUT', `${base}/pin`, { revision: edit.revision });
    case 'restore':
      return call('POST', `${base}/restore`, { revision: edit.revision }, revision);
    case 'luns':
      return call('POST', `${base}/luns`, edit.luns, revision);
    case 'starts':
      return call('POST', `${base}/starts`, { starts: edit.starts }, revision);
    case 'settings':
      return call('PATCH', base, edit.settings, revision);
    case 'undo':
    case 'redo':
      return call('POST', `${base}/steps`, { direction: edit.do }, revision);
  }
}

/**
 * Changes the open plan. `seen` is the revision that the editor showed: when the same thing was
 * changed since, the server refuses and the editor keeps what was typed.
 */
export function useChange() {
  const { meta } = usePlan();
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({ edit, seen }: { edit: Edit; seen?: number }) =>
      (await send(`/api/plans/${meta.id}`, edit, seen ?? meta.revision)) as PlanState,
    onSuccess: (state) => client.setQueryData(planKey(meta.id), state),
    onError: async (error) => {
      // Somebody was faster: fetch theirs, so that the editor can offer it.
      if (error instanceof Refused && error.conflict) await client.invalidateQueries({ queryKey: planKey(meta.id) });
    },
  });
}
