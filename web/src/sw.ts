/// <reference lib="webworker" />
/** Keeps the page, its fonts and the last state of each plan for where there is no network. */

import { clientsClaim } from 'workbox-core';
import {
  cleanupOutdatedCaches,
  createHandlerBoundToURL,
  precacheAndRoute,
  type PrecacheEntry,
} from 'workbox-precaching';
import { NavigationRoute, registerRoute } from 'workbox-routing';
import { NetworkFirst } from 'workbox-strategies';
import { KEPT, KEPT_SINCE, STATE_CACHE } from './api/kept';

declare const self: ServiceWorkerGlobalScope & { __WB_MANIFEST: PrecacheEntry[] };

void self.skipWaiting();
clientsClaim();
cleanupOutdatedCaches();
// The build writes here which files there are.
precacheAndRoute(self.__WB_MANIFEST);
registerRoute(
  new NavigationRoute(createHandlerBoundToURL('index.html'), { denylist: [/\/api\//, /\/certificate\.pem$/] }),
);

// What was answered last, where nobody answers: never what was refused, and nothing that was sent.
registerRoute(
  ({ url, request }) => request.method === 'GET' && KEPT.test(url.pathname),
  new NetworkFirst({
    cacheName: STATE_CACHE,
    plugins: [
      {
        cacheWillUpdate: ({ response }) => Promise.resolve(response.status === 200 ? response : null),
        // What was kept says so, and since when: the page must not take it for what is.
        cachedResponseWillBeUsed: ({ cachedResponse }) => {
          if (!cachedResponse) return Promise.resolve(cachedResponse);
          const headers = new Headers(cachedResponse.headers);
          headers.set(KEPT_SINCE, headers.get('date') ?? 'some time ago');
          return Promise.resolve(new Response(cachedResponse.body, { status: 200, headers }));
        },
      },
    ],
  }),
);

self.addEventListener('notificationclick', (event) => {
  event.notification.close();
  const path = (event.notification.data as { path?: string } | null)?.path ?? '';
  event.waitUntil(self.clients.openWindow(new URL(path, self.registration.scope).href));
});
