/** Datasets as a tree with what they are promised, drawn against what there is; users' quotas. */

import { scaleLinear } from 'd3-scale';
import { useState } from 'react';
import type { Items, Schemas, Working } from '../../api/client';
import { usePlan } from '../../api/plan';
import { fill } from '../../drawing/Hatch';
import { Worked } from '../../parts/Asked';
import { ItemList } from '../../parts/ItemList';
import { WorkingSlip } from '../../parts/WorkingSlip';
import { size, words } from '../../text/format';

export function Rooms() {
  const { plan, evaluation } = usePlan();
  const [working, setWorking] = useState<Working | null>(null);
  const rows = inTree(plan.datasets);
  const depth = new Map(rows.map((r) => [r.dataset.id, r.depth]));
  const pools = new Map(plan.pools.map((p) => [p.id, p.name]));
  const logins = new Map(plan.accounts.map((a) => [a.id, a.login]));
  const data = new Map(plan.datasets.map((d) => [d.id, d.name]));
  return (
    <div className="grid gap-x-8 xl:grid-cols-[minmax(0,1fr)_440px]">
      <ItemList
        title="Datasets"
        what="dataset"
        collection="datasets"
        items={rows.map((r) => r.dataset)}
        disabled={!plan.pools.length}
        empty="Data lives on pools: make one first, then say what will live there."
        columns={[
          { head: 'Dataset', show: (d) => `${'— '.repeat(depth.get(d.id) ?? 0)}${d.name}` },
          { head: 'Pool', show: (d) => pools.get(d.pool) },
          { head: 'Holds', right: true, show: (d) => size(d.size_bytes) },
          { head: 'Quota', right: true, show: (d) => (d.quota_bytes ? size(d.quota_bytes) : 'none') },
          { head: 'Reserved', right: true, show: (d) => (d.reserve_bytes ? size(d.reserve_bytes) : 'none') },
          {
            head: 'Notes',
            show: (d) =>
              [
                d.use !== 'files' && words(d.use),
                d.compression,
                d.record_kib && `${d.record_kib} KiB`,
                d.encrypted && 'encrypted',
                !d.checksums && 'no checksums',
                d.throw_away && 'throw-away',
                d.owner && `of ${logins.get(d.owner) ?? ''}`,
                d.mode,
              ]
                .filter(Boolean)
                .join(', '),
          },
        ]}
      />
      <div>
        <section aria-label="Promises" className="mb-4">
          <h2 className="border-b border-ink">Promised against what there is</h2>
          {evaluation.promises.length === 0 && (
            <p className="text-quiet">Nothing is promised: no quota, reservation or disk for a client yet.</p>
          )}
          {evaluation.promises.map((p) => (
            <div key={`${p.kind}-${p.id}`} className="border-b border-hair py-1">
              <Worked
                name={`${p.kind} ${p.name}:`}
                value={size(p.thick_bytes + p.thin_bytes)}
                onOpen={() => setWorking(p.working)}
              />{' '}
              of <span className="figure">{size(p.has_bytes)}</span>
              {p.over_bytes > 0 && <b className={p.short_bytes ? 'text-danger' : ''}> over by {size(p.over_bytes)}</b>}
              <Bar promise={p} />
            </div>
          ))}
          <p className="unit">Tinted: thick, taken now. Hatched: thin, promised. The line is what there is.</p>
        </section>
        <ItemList
          title="Quotas of people"
          what="quota"
          collection="quotas"
          items={plan.quotas}
          disabled={!plan.accounts.length || !plan.datasets.length}
          empty="Nobody has a quota: one phone backup may fill the pool for all."
          columns={[
            { head: 'Who', show: (q) => logins.get(q.account) },
            { head: 'Of', show: (q) => data.get(q.dataset) },
            { head: 'May fill', right: true, show: (q) => size(q.bytes) },
          ]}
        />
      </div>
      <WorkingSlip working={working} onClose={() => setWorking(null)} />
    </div>
  );
}

function Bar({ promise }: { promise: Schemas['Promise'] }) {
  const most = Math.max(promise.has_bytes, promise.thick_bytes + promise.thin_bytes, 1);
  const x = scaleLinear([0, most], [0, 420]);
  return (
    <svg viewBox="0 0 424 20" width="424" className="max-w-full" aria-hidden="true">
      <rect x="1" y="4" width={x(promise.thick_bytes)} height="12" fill={fill('data')} stroke="var(--ink)" />
      <rect
        x={1 + x(promise.thick_bytes)}
        y="4"
        width={x(promise.thin_bytes)}
        height="12"
        fill={fill('redundancy')}
        stroke="var(--ink)"
      />
      <path
        d={`M${1 + x(promise.has_bytes)} 0 V20`}
        stroke={promise.over_bytes ? 'var(--danger)' : 'var(--ink)'}
        strokeWidth="2"
      />
    </svg>
  );
}

/** Parents before their children, with how deep each lies. */
function inTree(datasets: Items['datasets'][]): { dataset: Items['datasets']; depth: number }[] {
  const below = (parent: string | null, depth: number): { dataset: Items['datasets']; depth: number }[] =>
    datasets
      .filter((d) => d.parent === parent)
      .flatMap((dataset) => [{ dataset, depth }, ...below(dataset.id, depth + 1)]);
  return below(null, 0);
}
