/** Where people are signed in: each session can be ended from elsewhere. */

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { api, call, unwrap } from '../api/client';
import { useVisitor } from '../api/visitor';
import { useAct } from '../parts/useAct';
import { Wrong } from '../parts/Wrong';

const SESSIONS = ['sessions'] as const;

/** What browsers call themselves, in two words. */
function device(agent: string): string {
  const browser = /(Firefox|Edg|Chrome|Version)\/(\d+)/.exec(agent);
  const name = { Edg: 'Edge', Version: 'Safari' }[browser?.[1] ?? ''] ?? browser?.[1];
  const on = /iPhone|iPad|Android|Windows|Mac OS X|Linux/.exec(agent)?.[0];
  return name ? `${name} ${browser?.[2] ?? ''}${on ? ` on ${on}` : ''}` : agent || 'no word on the device';
}

export function Sessions() {
  const who = useVisitor();
  const client = useQueryClient();
  const { act, wrong } = useAct();
  const { data } = useQuery({
    queryKey: SESSIONS,
    staleTime: 0,
    queryFn: async () => unwrap(await api.GET('/api/visitor/sessions')).sessions,
  });
  return (
    <section className="mt-6" aria-label="Sessions">
      <h2 className="border-b border-ink">Signed in</h2>
      <Wrong>{wrong}</Wrong>
      <ul>
        {data?.map((s) => (
          <li key={s.number} className="flex flex-wrap items-baseline gap-x-3 border-b border-hair py-1">
            <b>{s.person}</b>
            <span className="min-w-0 flex-1 basis-[220px] wrap-anywhere text-quiet">
              from <span className="figure">{s.address || 'unknown'}</span>, used{' '}
              <span className="figure">{new Date(s.used_at * 1000).toISOString().slice(0, 16).replace('T', ' ')}</span>{' '}
              UTC, {device(s.device)}
            </span>
            {s.this ? (
              <span>this one</span>
            ) : (
              <button
                className="act"
                aria-label={`end the session of ${s.person} from ${s.address}`}
                onClick={() =>
                  void act(async () => {
                    await call('DELETE', `/api/visitor/sessions/${s.number}`);
                    await client.invalidateQueries({ queryKey: SESSIONS });
                  })
                }
              >
                end
              </button>
            )}
          </li>
        ))}
      </ul>
      {who.role !== 'planner' && <p className="text-quiet">A session ends by itself after a week without use.</p>}
    </section>
  );
}
