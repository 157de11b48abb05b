/** Elsewhere: first copies, links with caps and allowance, buckets, keys, and who could delete what. */

import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, unwrap, type Items, type Schemas, type Working } from '../../api/client';
import { useChange, usePlan } from '../../api/plan';
import { Worked } from '../../parts/Asked';
import { ItemList } from '../../parts/ItemList';
import { WorkingSlip } from '../../parts/WorkingSlip';
import { money, size, span, text } from '../../text/format';
import { linkName } from '../../parts/form/fields';
import { HOLDERS } from './words';

const WAYS: Record<Schemas['FirstView']['way'], string> = {
  done: 'is there',
  side_by_side: 'side by side on the LAN',
  carried: 'on a carried disk',
  over_link: 'over the link',
};

export function AwayView() {
  const { plan, evaluation } = usePlan();
  const kinds = new Map(evaluation.kinds.map((k) => [k.id, k]));
  const away = plan.jobs.filter((j) => {
    const view = evaluation.jobs.find((v) => v.id === j.id);
    return kinds.get(j.kind)?.copies && view && view.source_site !== view.target_site;
  });
  const sent = plan.jobs.filter((j) => {
    const kind = kinds.get(j.kind);
    return kind?.copies && kind.target !== 'none';
  });
  const [chosen, setChosen] = useState(away[0]?.id ?? sent[0]?.id ?? '');
  const sites = new Map(plan.sites.map((s) => [s.id, s.name]));
  return (
    <div className="grid gap-x-8 gap-y-2 xl:grid-cols-2">
      <div>
        <section aria-label="First copies" className="mb-4">
          <div className="flex items-baseline gap-3 border-b border-ink">
            <h2>The first whole copy</h2>
            {sent.length > 0 && (
              <label className="ml-auto flex items-center gap-2">
                of
                <select className="entry !w-auto" value={chosen} onChange={(e) => setChosen(e.target.value)}>
                  {sent.map((j) => (
                    <option key={j.id} value={j.id}>
                      {j.name}
                    </option>
                  ))}
                </select>
              </label>
            )}
          </div>
          {sent.length === 0 ? (
            <p className="text-quiet">No job copies to another store yet: make one on Route.</p>
          ) : (
            <First key={chosen} job={plan.jobs.find((j) => j.id === chosen)} />
          )}
        </section>
        <section aria-label="Keys and credentials">
          <h2 className="border-b border-ink">Keys, ways, and who could delete it</h2>
          {away.length === 0 ? (
            <p className="text-quiet">Nothing travels yet.</p>
          ) : (
            <table className="w-full">
              <thead>
                <tr>
                  <th>Job</th>
                  <th>Key kept at</th>
                  <th>Travels</th>
                  <th>Can delete it</th>
                  <th>Told when silent</th>
                </tr>
              </thead>
              <tbody>
                {away.map((j) => {
                  const view = evaluation.jobs.find((v) => v.id === j.id);
                  return (
                    <tr key={j.id} className="border-b border-hair align-baseline">
                      <td className="font-semibold wrap-anywhere">{j.name}</td>
                      <td>
                        {j.encrypted ? view?.key_at : 'not encrypted'}
                        {view?.key_taken_by && <span className="text-danger">: taken by {view.key_taken_by}</span>}
                      </td>
                      <td>{view?.travels ?? ''}</td>
                      <td className={j.credentials === 'everyday' ? 'text-danger' : ''}>{HOLDERS[j.credentials]}</td>
                      <td className="figure whitespace-nowrap">
                        {j.alarm_days == null ? <span className="text-danger">nobody</span> : `after ${j.alarm_days} d`}
                      </td>
                    </tr>
                  );
                })}
              </tbody>
            </table>
          )}
        </section>
        <section aria-label="Boxes elsewhere" className="mt-4">
          <h2 className="border-b border-ink">Boxes elsewhere</h2>
          <Boxes home={mostUsedSite(plan.hosts, plan.pools)} />
        </section>
      </div>
      <div>
        <ItemList
          title="Limits by time of day"
          what="limit"
          collection="caps"
          items={plan.caps}
          disabled={!plan.links.length}
          empty="None: every job may fill its link at any hour. Limit it in waking hours."
          columns={[
            { head: 'Link', show: (c) => linkName(plan, c.link) },
            { head: 'Hours', show: (c) => `${c.from_at} to ${c.to_at}` },
            { head: 'At most', show: (c) => `${c.mbit} Mbit/s`, right: true },
          ]}
        />
        <section aria-label="Links" className="mb-4">
          <h2 className="border-b border-ink">Links</h2>
          {plan.links.length === 0 && <p className="text-quiet">None: sites and links are made on the Bench.</p>}
          {plan.links.map((l) => (
            <p key={l.id} className="border-b border-hair py-0.5">
              <b>{linkName(plan, l.id)}</b>: <span className="figure">{l.mbit_a_to_b}</span> and{' '}
              <span className="figure">{l.mbit_b_to_a}</span> Mbit/s, {l.encrypted ? 'in a tunnel' : 'no tunnel'},{' '}
              {l.relayed ? <span className="text-danger">relayed</span> : 'direct'}
              {l.allowance_bytes_per_month != null && `, ${size(l.allowance_bytes_per_month)} a month`}
            </p>
          ))}
        </section>
        <ItemList
          title="Buckets"
          what="bucket"
          collection="buckets"
          items={plan.buckets}
          disabled={!plan.sites.length}
          empty="None. A bucket is at a site that is not your own; its account can be closed."
          columns={[
            { head: 'Name', show: (b) => b.name },
            { head: 'At', show: (b) => sites.get(b.site) ?? '' },
            { head: 'Account', show: (b) => b.account },
            { head: 'Locked', show: (b) => (b.locked_days ? `${b.locked_days} d` : 'no'), right: true },
            { head: 'A TB and month', show: (b) => text(money(b.price_minor, plan.currency)), right: true },
          ]}
        />
      </div>
    </div>
  );
}

/** The site with most pools: where people live with the lab. */
function mostUsedSite(hosts: Items['hosts'][], pools: Items['pools'][]): string {
  const count = new Map<string, number>();
  for (const pool of pools) {
    const site = hosts.find((h) => h.id === pool.host)?.site ?? '';
    count.set(site, (count.get(site) ?? 0) + 1);
  }
  return [...count].sort((a, b) => b[1] - a[1])[0]?.[0] ?? '';
}

const WAKES: Record<Items['hosts']['after_power_cut'], string> = {
  by_itself: 'comes back alone',
  over_network: 'is woken over the network',
  by_hand: 'somebody has to go there',
};

function Boxes({ home }: { home: string }) {
  const { plan } = usePlan();
  const far = plan.hosts.filter((h) => h.site !== home && plan.pools.some((p) => p.host === h.id));
  if (!far.length) return <p className="text-quiet">None: a second box at another site is made on the Bench.</p>;
  return (
    <ul>
      {far.map((h) => (
        <li key={h.id} className="border-b border-hair py-0.5">
          <b>{h.name}</b> at {plan.sites.find((s) => s.id === h.site)?.name}:{' '}
          {h.addressing === 'static' ? (
            <span className="text-danger">fixed address, works only there</span>
          ) : (
            `${h.addressing === 'dhcp' ? 'DHCP' : 'a reserved address'}, works wherever it is plugged in`
          )}
          , {h.vpn_address ? `reached at ${h.vpn_address}` : <span className="text-danger">no VPN address</span>}; after
          a power cut {WAKES[h.after_power_cut]}.
        </li>
      ))}
    </ul>
  );
}

function First({ job }: { job: Items['jobs'] | undefined }) {
  const { meta } = usePlan();
  const change = useChange();
  const [working, setWorking] = useState<Working | null>(null);
  const asked = useQuery({
    queryKey: ['first', meta.id, meta.revision, job?.id],
    enabled: job !== undefined,
    placeholderData: keepPreviousData,
    queryFn: async () =>
      unwrap(
        await api.GET('/api/plans/{plan_id}/first', {
          params: { path: { plan_id: meta.id }, query: { job: job?.id ?? '' } },
        }),
      ),
  });
  if (!job) return null;
  return (
    <div data-waiting={asked.data ? undefined : true}>
      <table className="w-full">
        <thead>
          <tr>
            <th>Way</th>
            <th className="text-right">Takes</th>
            <th className="text-right">Ends on</th>
            <th className="pl-3">How</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {asked.data?.ways.map((w) => (
            <tr key={w.way} className={`border-b border-hair ${job.first_copy === w.way ? 'bg-picked' : ''}`}>
              <td>
                <Worked name={WAYS[w.way]} value="" onOpen={() => setWorking(w.working)} />
              </td>
              <td className="figure text-right whitespace-nowrap">
                {w.hours == null ? <span className="text-danger">never</span> : span(w.hours * 3600)}
              </td>
              <td className="figure text-right whitespace-nowrap">{w.ends_on ?? '–'}</td>
              <td className="pl-3 text-quiet">{w.why}</td>
              <td className="text-right">
                {job.first_copy !== w.way && (
                  <button
                    data-for="plans"
                    className="act"
                    onClick={() =>
                      change.mutate({ edit: { do: 'put', collection: 'jobs', item: { ...job, first_copy: w.way } } })
                    }
                  >
                    plan it
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="text-quiet">
        {job.first_copy === 'done'
          ? 'The plan says it is there already. After it only what changed travels; the far box’s address does not change when it moves.'
          : `The plan makes it ${WAYS[job.first_copy]}${job.first_on ? ` from ${job.first_on}` : ' from today'}.`}{' '}
        {job.first_copy !== 'done' && (
          <button
            data-for="plans"
            className="pick"
            onClick={() =>
              change.mutate({ edit: { do: 'put', collection: 'jobs', item: { ...job, first_copy: 'done' } } })
            }
          >
            it is there now
          </button>
        )}
      </p>
      <WorkingSlip working={working} onClose={() => setWorking(null)} />
    </div>
  );
}
