/** Run it: days of the plan on a stand-in of its lab, what was predicted beside what happened. */

import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, unwrap, type Working } from '../../api/client';
import { usePlan } from '../../api/plan';
import { Told } from '../../parts/Asked';
import { WorkingSlip } from '../../parts/WorkingSlip';

const DAYS = [7, 30] as const;

export function RunView() {
  const { meta, plan, evaluation } = usePlan();
  const [days, setDays] = useState<(typeof DAYS)[number] | null>(null);
  const [all, setAll] = useState(false);
  const [working, setWorking] = useState<Working | null>(null);
  const { data, error, isFetching } = useQuery({
    queryKey: ['run', meta.id, meta.revision, evaluation.today, days],
    enabled: days !== null,
    staleTime: Infinity,
    queryFn: async () =>
      unwrap(
        await api.POST('/api/plans/{plan_id}/run', {
          params: { path: { plan_id: meta.id } },
          body: { days: days ?? 7 },
        }),
      ),
  });
  const name = (id: string) => plan.hosts.find((h) => h.id === id)?.name ?? id;
  const differ = data?.lines.filter((l) => !l.agrees) ?? [];
  const shown = all ? (data?.lines ?? []) : differ;
  return (
    <div className="max-w-[1000px]">
      <h2>Run it</h2>
      <p className="mb-2 text-quiet">
        Each box is set up from nothing by its own setup.sh. Then a stand-in of this lab lives through days by its own
        crontabs, with the script that your boxes get; in the end lab-look looks at each box. Each difference between
        what was predicted and what happened, or is found, is shown.
      </p>
      <p className="flex flex-wrap items-center gap-2">
        {DAYS.map((n) => (
          <button key={n} className="act" disabled={isFetching} onClick={() => setDays(n)}>
            {n} days
          </button>
        ))}
        {isFetching && <span data-waiting>The days pass…</span>}
      </p>
      {error && (
        <p role="alert" className="mt-2 text-danger">
          {error.message}
        </p>
      )}
      {data && (
        <>
          <p className="my-2 font-semibold" role="status">
            {data.lines.length} figures compared over <span className="figure">{data.days.toFixed(0)}</span> days:{' '}
            {differ.length === 0 ? 'what happened is what was predicted' : `${differ.length} differ`}
            {data.mails.length === 0 ? ', and nobody was mailed.' : '.'}
          </p>
          {data.pools_made.length > 0 && (
            <p className="mb-2">
              Pools that are still wanted stood there as setup.sh leaves them: {data.pools_made.join(', ')}.
            </p>
          )}
          {data.pools_left.map((pool) => (
            <p key={pool} className="mb-2">
              Not made: pool {pool}.
            </p>
          ))}
          {data.not_set_up && (
            <p className="mb-2">
              No setup.sh was run here, and pools are taken as made by its works: {data.not_set_up}.
            </p>
          )}
          {data.taken_as_made.length > 0 && (
            <p className="mb-2">
              Taken as made, though the plan has yet to make them: the first copies of {data.taken_as_made.join(', ')}.
            </p>
          )}
          <p className="mb-2">
            <label>
              <input type="checkbox" checked={all} onChange={(e) => setAll(e.target.checked)} /> show what agrees too
            </label>
          </p>
          {shown.length > 0 && (
            <div className="relative overflow-x-auto">
              <table className="w-full">
                <thead>
                  <tr className="border-b border-ink">
                    <th>Figure</th>
                    <th className="text-right">Predicted</th>
                    <th className="text-right">Happened</th>
                  </tr>
                </thead>
                <tbody>
                  {shown.map((l) => (
                    <tr key={l.what} className="border-b border-hair align-top">
                      <td>{l.what}</td>
                      <td className="figure text-right whitespace-nowrap">
                        <Told onOpen={() => setWorking(l.by_plan)}>{l.predicted}</Told>
                      </td>
                      <td className={`figure text-right ${l.agrees ? '' : 'font-semibold text-danger'}`}>
                        <Told onOpen={() => setWorking(l.there)}>{l.happened}</Told>
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </div>
          )}
          {data.mails.length > 0 && (
            <>
              <h3 className="mt-3 border-b border-ink">Mails that root got</h3>
              <ul>
                {data.mails.map((m, n) => (
                  <li key={n} className="border-b border-hair py-1">
                    <span className="figure">{m.at.slice(0, 16).replace('T', ' ')} UTC</span> <b>{name(m.box)}</b>{' '}
                    <span className="wrap-anywhere">{m.text}</span>
                  </li>
                ))}
              </ul>
              {data.more_mails > 0 && <p className="text-quiet">and {data.more_mails} more</p>}
            </>
          )}
        </>
      )}
      <WorkingSlip working={working} onClose={() => setWorking(null)} />
    </div>
  );
}
