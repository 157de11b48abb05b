/** The day where the lab is: a page that stays open past midnight asks for the new one. */

import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { planKey, usePlan } from './plan';

const LOOK_MS = 20_000;

/** The date now in a time zone, as YYYY-MM-DD. */
export const dayIn = (zone: string, now: Date): string =>
  new Intl.DateTimeFormat('en-CA', { timeZone: zone, year: 'numeric', month: '2-digit', day: '2-digit' }).format(now);

/**
 * The day that has begun since the page was opened, once what it shows is of that day; null before.
 * A clock here that differs from the server's asks once a day, not for ever.
 */
export function useNewDay(): string | null {
  const { meta, plan, evaluation } = usePlan();
  const client = useQueryClient();
  const [opened] = useState(evaluation.today);
  const [asked, setAsked] = useState(() => dayIn(plan.zone, new Date()));
  useEffect(() => {
    const look = () => {
      const today = dayIn(plan.zone, new Date());
      if (today === asked) return;
      setAsked(today);
      // Everything that was answered was answered for the day before.
      void client.invalidateQueries({ queryKey: planKey(meta.id) });
      void client.invalidateQueries({ predicate: (q) => q.queryKey[0] !== 'forms' });
    };
    const timer = setInterval(look, LOOK_MS);
    document.addEventListener('visibilitychange', look);
    return () => {
      clearInterval(timer);
      document.removeEventListener('visibilitychange', look);
    };
  }, [asked, client, meta.id, plan.zone]);
  return evaluation.today === opened ? null : evaluation.today;
}
