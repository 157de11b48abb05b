/** This device: what it keeps for where there is no network, and how all of it is let go. */

import { clear, createStore } from 'idb-keyval';
import { at } from './root';

// The worker's cache: it is built apart, and nothing of it may be shared with the page.
const STATE = 'kavrel-state';
export const onDevice = createStore('kavrel', 'kept');
/** Drills that were played without the server, apart from the changes that wait. */
export const drillsOnDevice = createStore('kavrel-drills', 'kept');

/** What is kept on the device, if the browser keeps anything at all; else what there is without. */
export async function ifKept<T>(what: () => Promise<T>, without: T): Promise<T> {
  try {
    return await what();
  } catch {
    return without;
  }
}

/** Has the worker keep the page, where the browser lets it: over TLS, or on the machine itself. */
export function keepPage(): void {
  if ('serviceWorker' in navigator && window.isSecureContext && import.meta.env.PROD)
    void navigator.serviceWorker.register(at('/sw.js'), { scope: at('/') }).catch(() => undefined);
}

/** Fetches the papers of a plan once, so that they are there when the network is not. */
export async function keepPapers(plan: string): Promise<void> {
  if (!('serviceWorker' in navigator) || !navigator.serviceWorker.controller) return;
  const papers = ['restore-sheet', 'runbook', 'cards', 'drills'];
  await Promise.all(papers.map((p) => fetch(at(`/api/plans/${plan}/${p}`)).catch(() => undefined)));
}

/** What answers are kept of: paths with what was asked of them. */
export async function keptPaths(): Promise<string[]> {
  const found = await ifKept(async () => (await caches.open(STATE)).keys(), []);
  return found.map(({ url }) => new URL(url).pathname + new URL(url).search);
}

/** Lets go of the state that was kept; the page itself stays: it is the same for everybody. */
export async function letGoOfState(): Promise<void> {
  if ('caches' in window) await ifKept(() => caches.delete(STATE), false);
}

/** Lets go of everything that was kept for whoever was signed in. */
export async function letGo(): Promise<void> {
  await ifKept(() => clear(onDevice), undefined);
  await ifKept(() => clear(drillsOnDevice), undefined);
  await letGoOfState();
}
