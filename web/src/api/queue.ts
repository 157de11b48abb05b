/**
 * Edits that wait for the network, kept on the device: a page that is closed or loaded anew sends them
 * later, each once, by the name that it was given when it was made.
 */

import { del, entries, set } from 'idb-keyval';
import { useSyncExternalStore } from 'react';
import { ifKept, onDevice } from './device';
import type { Edit } from './plan';
import type { Collection, PlanState } from './client';

export interface Queued {
  key: string;
  plan: string;
  /** Who made it: nobody else sends it. Empty where nobody signs in. */
  by: string;
  edit: Edit;
  /** The revision that its editor showed. */
  seen: number;
  /** When it was made, as an ISO instant. */
  made: string;
  /** Why the server would not take it: it is shown, and kept until somebody lets it go. */
  refused?: string;
}

let queued: readonly Queued[] = [];
const listeners = new Set<() => void>();

function now(next: readonly Queued[]): void {
  queued = next;
  listeners.forEach((tell) => tell());
}

/** Reads what waits on this device; what cannot be read waits nowhere. */
export async function readQueue(): Promise<readonly Queued[]> {
  const found = await ifKept(() => entries<string, Queued>(onDevice), []);
  now(found.map(([, q]) => q).sort((a, b) => a.made.localeCompare(b.made)));
  return queued;
}

/** Keeps an edit until it was taken. */
export async function keep(edit: Queued): Promise<void> {
  now([...queued.filter((q) => q.key !== edit.key), edit]);
  await ifKept(() => set(edit.key, edit, onDevice), undefined);
}

/** It was taken, or somebody let it go. */
export async function drop(key: string): Promise<void> {
  if (!queued.some((q) => q.key === key)) return;
  now(queued.filter((q) => q.key !== key));
  await ifKept(() => del(key, onDevice), undefined);
}

export const isQueued = (key: string): boolean => queued.some((q) => q.key === key);

const subscribe = (tell: () => void) => {
  listeners.add(tell);
  return () => listeners.delete(tell);
};

/** Edits of a plan that wait on this device. */
export function useQueued(plan: string): readonly Queued[] {
  const all = useSyncExternalStore(subscribe, () => queued);
  return all.filter((q) => q.plan === plan);
}

/** Collections in which what waits is shown as if it were there. */
export const OVERLAID: ReadonlySet<Collection> = new Set(['log', 'ticks']);

/**
 * The state with what waits laid over it: a tick made without a network stands ticked. What follows
 * from it is reckoned once the server has it.
 */
export function overlaid(state: PlanState, waiting: readonly Queued[]): PlanState {
  let plan = state.plan;
  for (const { edit, refused, key } of waiting) {
    if (refused || (edit.do !== 'add' && edit.do !== 'put' && edit.do !== 'remove')) continue;
    if (!OVERLAID.has(edit.collection)) continue;
    const before: readonly { id: string }[] = plan[edit.collection];
    const id = edit.do === 'remove' ? edit.id : edit.item.id || `waits-${key}`;
    const others = before.filter((x) => x.id !== id);
    const after = edit.do === 'remove' ? others : [...others, { ...edit.item, id }];
    plan = { ...plan, [edit.collection]: after };
  }
  return plan === state.plan ? state : { ...state, plan };
}
