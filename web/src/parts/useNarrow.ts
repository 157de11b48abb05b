/** Whether the page is as narrow as a telephone: some sheets have a drawing of their own then. */

import { useSyncExternalStore } from 'react';

// Where nothing has a width, as in unit tests, the page is wide.
const media = (): MediaQueryList | undefined =>
  (window as { matchMedia?: typeof window.matchMedia }).matchMedia?.('(max-width: 640px)');

const subscribe = (tell: () => void) => {
  const found = media();
  found?.addEventListener('change', tell);
  return () => found?.removeEventListener('change', tell);
};

export const useNarrow = (): boolean => useSyncExternalStore(subscribe, () => media()?.matches ?? false);
