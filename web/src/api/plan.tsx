/** The open plan: read through one query, changed through one queue. */

import { useMutation, useMutationState, useQuery, useQueryClient, type QueryClient } from '@tanstack/react-query';
import { createContext, useContext, useEffect, type ReactNode } from 'react';
import { api, call, Refused, unwrap, type Collection, type Items, type PlanState } from './client';
import { applied, tagOf, type Changes } from './changes';
import { drop, isQueued, keep, readQueue } from './queue';
import { useVisitor } from './visitor';

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
  | { do: 'take'; things: { collection: string; item: Record<string, unknown> }[]; said: string }
  | { do: 'line'; text: string }
  | { do: 'sketch'; sketch: string; answers: Record<string, string> }
  | {
      do: 'settings';
      settings: { name?: string; variant?: string; currency?: string; zone?: string };
    };

function send(base: string, edit: Edit, revision: number, more: Record<string, string>): Promise<unknown> {
  switch (edit.do) {
    case 'add':
      return call(
        'POST',
        `${base}/${edit.collection}`,
        { ...edit.item, id: edit.item.id || undefined },
        revision,
        more,
      );
    case 'put':
      return call('PUT', `${base}/${edit.collection}/${edit.item.id}`, edit.item, revision, more);
    case 'remove':
      return call('DELETE', `${base}/${edit.collection}/${edit.id}`, undefined, revision, more);
    case 'pin':
      return call('PUT', `${base}/pin`, { revision: edit.revision }, undefined, more);
    case 'restore':
      return call('POST', `${base}/restore`, { revision: edit.revision }, revision, more);
    case 'luns':
      return call('POST', `${base}/luns`, edit.luns, revision, more);
    case 'starts':
      return call('POST', `${base}/starts`, { starts: edit.starts }, revision, more);
    case 'take':
      return call('POST', `${base}/take`, { things: edit.things, said: edit.said }, revision, more);
    case 'line':
      return call('POST', `${base}/line`, { text: edit.text }, revision, more);
    case 'sketch':
      return call('POST', `${base}/sketch`, { sketch: edit.sketch, answers: edit.answers }, revision, more);
    case 'settings':
      return call('PATCH', base, edit.settings, revision, more);
    case 'undo':
    case 'redo':
      return call('POST', `${base}/steps`, { direction: edit.do }, revision, more);
  }
}

/** A name for an edit: sent again because its answer was lost, it is made once. */
const freshKey = (): string =>
  Array.from(crypto.getRandomValues(new Uint8Array(12)), (n) => n.toString(16).padStart(2, '0')).join('');

/**
 * Revisions that this page made itself, each after the one before it: an editor that still shows an
 * older one has seen all that others did.
 */
const own = new WeakMap<QueryClient, Map<string, Map<number, number>>>();

function stepsOf(client: QueryClient, plan: string): Map<number, number> {
  const plans = own.get(client) ?? new Map<string, Map<number, number>>();
  own.set(client, plans);
  const steps = plans.get(plan) ?? new Map<number, number>();
  plans.set(plan, steps);
  return steps;
}

function newestSeen(steps: Map<number, number>, seen: number): number {
  let found = seen;
  for (let next = steps.get(found); next !== undefined; next = steps.get(found)) found = next;
  return found;
}

const unreachable = (error: unknown) => error instanceof Refused && error.problem.status === 0;

/** One edit, or what makes it of the plan as the edits before it left it. */
export interface Wanted {
  edit: Edit | ((state: PlanState) => Edit);
  seen?: number;
  key?: string;
}

/**
 * Changes the open plan; the edits of one page go one after another. `seen` is the revision that the
 * editor showed: when somebody else changed the same thing since, the server refuses and the editor
 * keeps what was typed. While Kavrel does not answer an edit waits, and is sent when it can be.
 */
export function useChange() {
  const state = usePlan();
  const id = state.meta.id;
  const client = useQueryClient();
  const who = useVisitor();
  const mutation = useMutation({
    mutationKey: ['change', id],
    scope: { id: `change ${id}` },
    networkMode: 'always',
    retry: (_, error) => unreachable(error),
    retryDelay: (failures) => Math.min(500 * 2 ** failures, 5_000),
    mutationFn: async (wanted: Wanted) => {
      const now = client.getQueryData<PlanState>(planKey(id)) ?? state;
      const edit = typeof wanted.edit === 'function' ? wanted.edit(now) : wanted.edit;
      const steps = stepsOf(client, id);
      const back = edit.do === 'undo' || edit.do === 'redo';
      const base = back ? now.meta.revision : newestSeen(steps, wanted.seen ?? state.meta.revision);
      // The object stays the same when it is sent again.
      const key = (wanted.key ??= freshKey());
      sending.add(key);
      const more = { 'Idempotency-Key': key, 'Kavrel-Holds': tagOf(now) };
      const queued = { key, plan: id, by: who.name, edit, seen: base, made: new Date().toISOString() };
      let answer: PlanState | Changes;
      try {
        answer = (await send(`/api/plans/${id}`, edit, base, more)) as PlanState | Changes;
      } catch (error) {
        // Undo and redo are of this moment: an hour later they would undo something else.
        if (unreachable(error) && !back && !isQueued(key)) await keep(queued);
        if (error instanceof Refused && !unreachable(error) && isQueued(key))
          await keep({ ...queued, refused: error.message });
        throw error;
      }
      await drop(key);
      const next = applied(now, answer);
      if (next.meta.parent === now.meta.revision) steps.set(now.meta.revision, next.meta.revision);
      return next;
    },
    onSuccess: (next) => client.setQueryData(planKey(id), next),
    onError: async (error) => {
      // Somebody was faster: fetch theirs, so that the editor can offer it.
      if (error instanceof Refused && error.conflict) await client.invalidateQueries({ queryKey: planKey(id) });
    },
  });
  return { ...mutation, waits: mutation.isPending && mutation.failureCount > 0 };
}

/** Sends what waited on this device from before, when the page is there again; and shows what was refused. */
export function useLeftOver(): void {
  const { meta } = usePlan();
  const { mutate } = useChange();
  const { name } = useVisitor();
  useEffect(() => {
    void readQueue().then((all) => {
      for (const q of all)
        if (q.plan === meta.id && q.by === name && !q.refused && !sending.has(q.key)) {
          sending.add(q.key);
          mutate({ edit: q.edit, seen: q.seen, key: q.key });
        }
    });
    // Once, when the plan is opened.
  }, [meta.id, mutate, name]);
}

/** Edits that this page has in its hands. */
const sending = new Set<string>();

/** How many edits wait because Kavrel does not answer. */
export function useWaiting(): number {
  const { meta } = usePlan();
  const pending = useMutationState({
    filters: { mutationKey: ['change', meta.id], status: 'pending' },
    select: (m) => m.state.failureCount,
  });
  return pending.some((failures) => failures > 0) ? pending.length : 0;
}
