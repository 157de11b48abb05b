/** Space: what lies on a pool, what its points hold, and when it is full because of it. */

import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, unwrap, type Schemas, type Working } from '../../api/client';
import { usePlan } from '../../api/plan';
import { Empty } from '../../parts/Empty';
import { Plot } from '../../drawing/Plot';
import { Worked } from '../../parts/Asked';
import { Choice } from '../../parts/Views';
import { WorkingSlip } from '../../parts/WorkingSlip';
import { percent, size } from '../../text/format';

const YEARS = 5;

export function SpaceView() {
  const { plan, meta } = usePlan();
  const [pool, setPool] = useState(plan.pools[0]?.id ?? '');
  const [working, setWorking] = useState<Working | null>(null);
  const asked = useQuery({
    queryKey: ['space', meta.id, meta.revision, pool],
    enabled: pool !== '',
    placeholderData: keepPreviousData,
    queryFn: async () =>
      unwrap(
        await api.GET('/api/plans/{plan_id}/space', {
          params: { path: { plan_id: meta.id }, query: { pool, years: YEARS } },
        }),
      ),
  });
  if (!plan.pools.length)
    return (
      <Empty title="What points in time hold">
        Make a pool first, on Pools (key 2): then what its snapshots and copies take is drawn here.
      </Empty>
    );
  const space = asked.data;
  return (
    <div data-waiting={asked.isFetching || undefined}>
      <div className="mb-1 flex flex-wrap items-baseline gap-3">
        <h2>What points in time hold</h2>
        <div className="flex gap-2" role="group" aria-label="Pools">
          {plan.pools.map((p) => (
            <Choice key={p.id} on={p.id === pool} onClick={() => setPool(p.id)}>
              {p.name}
            </Choice>
          ))}
        </div>
      </div>
      {space && (
        <div className="grid gap-x-8 gap-y-3 xl:grid-cols-[620px_minmax(0,1fr)]">
          <section aria-label="Space over the years">
            <p>
              <Worked
                name="Taken now"
                value={`${size(sum(space.marks[0]))}, ${percent(sum(space.marks[0]) / Math.max(space.usable_bytes, 1))}`}
                onOpen={() => setWorking(space.working)}
              />{' '}
              of <span className="figure">{size(space.usable_bytes)}</span>.{' '}
              {space.full_on ? (
                <b className={space.full_on <= (space.marks[12]?.day ?? '') ? 'text-danger' : ''}>
                  Full on {space.full_on}
                </b>
              ) : (
                `Not full within ${YEARS} years`
              )}
              {space.warn_on && `, past the planned fill on ${space.warn_on}`}.
            </p>
            <Plot
              title={`Space on the pool over ${YEARS} years`}
              width={620}
              height={260}
              show={size}
              xLabels={space.marks
                .filter((_, n) => n % 12 === 0)
                .map((m, n) => ({ x: n * 12, text: m.day.slice(0, 4) }))}
              rules={[{ y: space.usable_bytes, text: 'usable' }]}
              filled={space.marks.map((m, n) => ({ x: n, y: m.live_bytes }))}
              lines={[
                {
                  name: 'live data and newest copies',
                  points: space.marks.map((m, n) => ({ x: n, y: m.live_bytes + m.copies_bytes })),
                  dash: '7 3',
                },
                { name: 'with all points', points: space.marks.map((m, n) => ({ x: n, y: sum(m) })), dash: '' },
              ]}
            />
            <p className="text-quiet">
              Tinted: live data. Dashed: with the newest copies of other pools. Full line: with everything that points
              hold.
            </p>
            {space.quota_on.map(({ dataset, day }) => (
              <p key={dataset} className="text-danger">
                {plan.datasets.find((d) => d.id === dataset)?.name} meets its quota on {day}, snapshots counted.
              </p>
            ))}
          </section>
          <section aria-label="Layers">
            <Layers space={space} />
            <p className="unit mt-2">
              How a dataset changes, what is deleted, and what hits the same places every day: edit the dataset on
              Pools. A deleted file’s space is held until the last point with it goes; the comb on Route says what
              removing one point frees.
            </p>
          </section>
        </div>
      )}
      <WorkingSlip working={working} onClose={() => setWorking(null)} />
    </div>
  );
}

const sum = (m: Schemas['Mark'] | undefined) => (m ? m.live_bytes + m.points_bytes + m.copies_bytes : 0);
const KINDS: Record<string, string> = { live: 'live data', points: 'older points', copy: 'newest state' };

function Layers({ space }: { space: Schemas['PoolSpace'] }) {
  const order = ['live', 'copy', 'points'];
  const layers = [...space.layers].sort((a, b) => order.indexOf(a.kind) - order.indexOf(b.kind) || b.bytes - a.bytes);
  const most = Math.max(...space.layers.map((l) => l.bytes), 1);
  return (
    <table className="w-full">
      <thead>
        <tr className="border-b border-ink">
          <th>What</th>
          <th>Is</th>
          <th className="text-right">Takes</th>
          <th className="w-[180px]" />
        </tr>
      </thead>
      <tbody>
        {layers.map((l) => (
          <tr key={`${l.kind}-${l.name}`} className="border-b border-hair">
            <td className="wrap-anywhere">{l.name}</td>
            <td className="text-quiet">{KINDS[l.kind]}</td>
            <td className="figure text-right whitespace-nowrap">{size(l.bytes)}</td>
            <td>
              <svg width="172" height="12" aria-hidden="true">
                <rect
                  x="6"
                  y="1.5"
                  width={Math.max(1, (l.bytes / most) * 164)}
                  height="9"
                  fill={
                    l.kind === 'live'
                      ? 'var(--data)'
                      : l.kind === 'points'
                        ? 'url(#hatch-reserve)'
                        : 'url(#hatch-redundancy)'
                  }
                  stroke="var(--ink)"
                />
              </svg>
            </td>
          </tr>
        ))}
        {space.layers.length === 0 && (
          <tr>
            <td colSpan={4} className="text-quiet">
              Nothing lies on it.
            </td>
          </tr>
        )}
      </tbody>
    </table>
  );
}
