/** What an edit changed, set into the state that the page holds: the rest stays the very same objects. */

import type { PlanState, Schemas } from './client';

export type Changes = Schemas['Changes'];
type Difference = Schemas['Difference'];

/** The entity tag of a state, as the server gives it. */
export const tagOf = (state: PlanState): string => {
  const { meta, evaluation } = state;
  const pin = meta.pinned === null ? '' : `-p${meta.pinned}`;
  return `"r${meta.revision}-${evaluation.today.replaceAll('-', '')}${pin}"`;
};

function changed(before: unknown, { value, length, items, fields }: Difference): unknown {
  if (fields) {
    const old = before as Record<string, unknown>;
    const next = Object.entries(fields).map(([name, part]) => [name, changed(old[name], part)]);
    return { ...old, ...(Object.fromEntries(next) as object) };
  }
  if (items) {
    const found = (before as unknown[]).slice(0, length ?? undefined);
    for (const [place, item] of Object.entries(items)) found[Number(place)] = item;
    return found;
  }
  return value === undefined ? before : value;
}

/** The state after an answer: a whole one, or the one that was held with what changed. */
export const applied = (held: PlanState, answer: PlanState | Changes): PlanState =>
  'since' in answer ? (changed(held, answer.changes) as PlanState) : answer;
