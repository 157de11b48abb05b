/** Whether what is shown was kept on this device because nobody answers, and since when. */

import { useSyncExternalStore } from 'react';

let since: string | null = null;
const listeners = new Set<() => void>();

/** An answer came: with the date of when it was given where it was kept, null where it is fresh. */
export function heard(kept: string | null): void {
  if (kept === since) return;
  since = kept;
  listeners.forEach((tell) => tell());
}

const subscribe = (tell: () => void) => {
  listeners.add(tell);
  return () => listeners.delete(tell);
};

/** When what is shown was given, in words; null where it is fresh. */
export function useKeptSince(): string | null {
  const found = useSyncExternalStore(subscribe, () => since);
  if (!found) return null;
  const moment = new Date(found);
  return Number.isNaN(moment.getTime()) ? found : moment.toLocaleString('sv').slice(0, 16);
}
