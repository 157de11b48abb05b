/** Notices of the page itself: what a way of this kind tells, shown by the browser, once a device. */

import { useQuery } from '@tanstack/react-query';
import { useEffect } from 'react';
import { api, unwrap } from './client';
import { usePlan } from './plan';

const ASK_MS = 60_000;
const seenKey = (plan: string) => `kavrel notices ${plan}`;

/** Whether this browser may show notices, or may be asked. */
export const mayNotify = (): NotificationPermission | 'never' =>
  'Notification' in window ? Notification.permission : 'never';

async function show(title: string, body: string, tag: string, path: string): Promise<void> {
  const worker = 'serviceWorker' in navigator ? await navigator.serviceWorker.getRegistration() : undefined;
  if (worker) await worker.showNotification(title, { body, tag, data: { path } });
  else new Notification(title, { body, tag });
}

/** Asks every minute for what is new, and has the browser show it. What came before the first look is not shown. */
export function useNotices(): void {
  const { meta } = usePlan();
  const plan = meta.id;
  const { data } = useQuery({
    queryKey: ['notices', plan],
    refetchInterval: ASK_MS,
    refetchIntervalInBackground: true,
    staleTime: 0,
    enabled: mayNotify() === 'granted',
    queryFn: async () => {
      const after = Number(localStorage.getItem(seenKey(plan)) ?? 0) || 0;
      const asked = await api.GET('/api/plans/{plan_id}/notices', {
        params: { path: { plan_id: plan }, query: { after } },
      });
      return unwrap(asked).messages;
    },
  });
  useEffect(() => {
    if (!data?.length) return;
    const last = localStorage.getItem(seenKey(plan));
    const newest = Math.max(...data.map((m) => m.number));
    localStorage.setItem(seenKey(plan), String(newest));
    if (last === null) return;
    for (const m of data) void show(m.subject, m.body, `kavrel-${m.number}`, `plan/${plan}/log`);
  }, [data, plan]);
}
