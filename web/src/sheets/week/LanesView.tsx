/** Lanes for disks, LAN and links; jobs as long as they really take beside the others; clashes hatched. */

import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { scaleLinear } from 'd3-scale';
import { useState } from 'react';
import { api, unwrap, type Schemas } from '../../api/client';
import { usePlan } from '../../api/plan';
import { fill } from '../../drawing/Hatch';
import { Told } from '../../parts/Asked';
import { AskedWorking } from '../../parts/AskedWorking';
import { useNarrow } from '../../parts/useNarrow';
import { clock, size, span } from '../../text/format';
import { NightList } from './NightList';

type Week = Schemas['Week'];
const DAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];
const LEFT = 150;
const WIDTH = 1220;
const LANE = 44;
const TOP = 24;
const MINUTES = 7 * 1440;

const shift = (day: string, days: number) => new Date(Date.parse(day) + days * 86_400_000).toISOString().slice(0, 10);

export function LanesView() {
  const { meta, evaluation, plan } = usePlan();
  const [monday, setMonday] = useState(evaluation.week.monday);
  const [asked, setAsked] = useState<string | null>(null);
  const other = useQuery({
    queryKey: ['week', meta.id, meta.revision, monday],
    enabled: monday !== evaluation.week.monday,
    placeholderData: keepPreviousData,
    queryFn: async () =>
      unwrap(
        await api.GET('/api/plans/{plan_id}/week', {
          params: { path: { plan_id: meta.id }, query: { day: monday } },
        }),
      ),
  });
  const week = monday === evaluation.week.monday ? evaluation.week : (other.data ?? evaluation.week);
  const names = new Map(plan.jobs.map((j) => [j.id, j.name]));
  const narrow = useNarrow();
  return (
    <div>
      <div className="mb-1 flex flex-wrap items-baseline gap-3">
        <h2>The week from {week.monday}</h2>
        <span className="text-quiet">
          {week.zone} time
          <span className="max-sm:hidden">
            ; shaded: quiet hours; hatched: two share one disk set, LAN or link, and slow each other
          </span>
        </span>
        <span className="ml-auto flex flex-wrap justify-end gap-2">
          <button className="act" onClick={() => setMonday(shift(monday, -7))}>
            week before
          </button>
          <button className="act" onClick={() => setMonday(evaluation.week.monday)}>
            this week
          </button>
          <button className="act" onClick={() => setMonday(shift(monday, 7))}>
            week after
          </button>
        </span>
      </div>
      {plan.jobs.length === 0 ? (
        <p>No jobs yet: each job of the Copies sheet is drawn here, as long as it will really take.</p>
      ) : (
        <>
          {narrow ? <NightList week={week} names={names} /> : <Lanes week={week} names={names} />}
          <div className="mt-3 grid gap-8 lg:grid-cols-2">
            <div>
              <Clashes week={week} />
              <Misses week={week} />
            </div>
            <Runs week={week} names={names} onAsk={setAsked} />
          </div>
          {asked && (
            <AskedWorking
              about={['run', asked, monday]}
              ask={async (plan_id) =>
                unwrap(
                  await api.GET('/api/plans/{plan_id}/week/working', {
                    params: {
                      path: { plan_id },
                      query: { job: asked, day: week === evaluation.week ? evaluation.today : monday },
                    },
                  }),
                )
              }
              onClose={() => setAsked(null)}
            />
          )}
        </>
      )}
    </div>
  );
}

function Lanes({ week, names }: { week: Week; names: Map<string, string> }) {
  const { plan } = usePlan();
  const used = [...new Set(week.runs.flatMap((r) => r.resources))];
  const order = ['pool', 'disk', 'lan', 'link'];
  used.sort(
    (a, b) => order.indexOf(a.split(':')[0] ?? '') - order.indexOf(b.split(':')[0] ?? '') || a.localeCompare(b),
  );
  const light = week.runs.filter((r) => !r.resources.length);
  const lanes = [...used, ...(light.length ? ['light'] : [])];
  const sites = new Map(plan.sites.map((s) => [s.id, s.name]));
  const title = (lane: string) => {
    const [kind, key = ''] = lane.split(':');
    if (kind === 'pool') return `disks of ${plan.pools.find((p) => p.id === key)?.name ?? key}`;
    if (kind === 'disk') return `disk ${plan.disks.find((d) => d.id === key)?.label ?? key}`;
    if (kind === 'lan') return `LAN, ${sites.get(key) ?? key}`;
    if (kind === 'light') return 'moments';
    const link = plan.links.find((l) => l.id === key);
    return link ? `link to ${sites.get(link.b) ?? ''}` : key;
  };
  const x = scaleLinear([0, MINUTES], [LEFT, WIDTH]);
  const height = TOP + lanes.length * LANE;
  const clip = (minute: number) => Math.min(Math.max(minute, 0), MINUTES);
  const from = week.quiet_from_hour;
  const to = week.quiet_to_hour;
  const quiet = DAYS.flatMap((_, d) =>
    from === to
      ? [[d * 24, d * 24 + 24]]
      : from < to
        ? [[d * 24 + from, d * 24 + to]]
        : [
            [d * 24, d * 24 + to],
            [d * 24 + from, d * 24 + 24],
          ],
  );
  return (
    <svg
      viewBox={`0 0 ${WIDTH + 4} ${height + 6}`}
      className="w-full"
      role="img"
      aria-label={`Lanes of ${week.runs.length} runs, ${week.clashes.length} clashes`}
    >
      {quiet.map(([a = 0, b = 0]) => (
        <rect
          key={a}
          x={x(a * 60)}
          y={TOP}
          width={Math.max(0, x(b * 60) - x(a * 60))}
          height={lanes.length * LANE}
          fill="var(--desk)"
        />
      ))}
      {DAYS.map((day, n) => (
        <g key={day}>
          <path d={`M${x(n * 1440)} ${TOP - 16} V${height}`} stroke="var(--line)" />
          <text x={x(n * 1440) + 5} y="15" style={{ fill: 'var(--quiet)' }}>
            {day} {shift(week.monday, n).slice(8)}
          </text>
          <path d={`M${x(n * 1440 + 720)} ${TOP - 5} V${TOP}`} stroke="var(--line)" />
        </g>
      ))}
      {lanes.map((lane, n) => {
        const y = TOP + n * LANE;
        const runs = lane === 'light' ? light : week.runs.filter((r) => r.resources.includes(lane));
        return (
          <g key={lane}>
            <path d={`M0 ${y + LANE} H${WIDTH}`} stroke="var(--hair)" />
            <text x="0" y={y + LANE / 2 + 4}>
              {title(lane)}
            </text>
            {runs.map((r) => (
              <rect
                key={`${r.job}-${r.starts_at}`}
                x={x(clip(r.from_minute))}
                y={y + 6}
                width={Math.max(lane === 'light' ? 1 : 2.5, x(clip(r.to_minute)) - x(clip(r.from_minute)))}
                height={LANE - 12}
                fill={lane === 'light' ? 'var(--quiet)' : fill('data')}
                stroke={lane === 'light' ? 'none' : 'var(--ink)'}
              >
                <title>{`${names.get(r.job) ?? r.job}: ${clock(r.starts_at)} to ${clock(r.ends_at)}, ${span(r.seconds)} (alone ${span(r.alone_seconds)}), ${size(r.moved_bytes)}`}</title>
              </rect>
            ))}
            {week.clashes
              .filter((c) => c.resource === lane)
              .map((c) => (
                <rect
                  key={`${c.first}-${c.second}-${c.from_minute}`}
                  x={x(clip(c.from_minute)) - 1}
                  y={y + 2}
                  width={Math.max(5, x(clip(c.to_minute)) - x(clip(c.from_minute)))}
                  height={LANE - 4}
                  fill={fill('clash')}
                  stroke="var(--danger)"
                >
                  <title>{c.why}</title>
                </rect>
              ))}
          </g>
        );
      })}
    </svg>
  );
}

function Clashes({ week }: { week: Week }) {
  const grouped = new Map<string, { count: number; first: Schemas['Clash'] }>();
  for (const clash of week.clashes) {
    const found = grouped.get(clash.why);
    if (found) found.count += 1;
    else grouped.set(clash.why, { count: 1, first: clash });
  }
  const when = (minute: number) =>
    `${DAYS[Math.floor(minute / 1440)]?.slice(0, 3) ?? ''} ${String(Math.floor((minute % 1440) / 60)).padStart(2, '0')}:${String(Math.floor(minute % 60)).padStart(2, '0')}`;
  return (
    <section aria-label="Clashes">
      <h3 className="border-b border-ink">Clashes</h3>
      {grouped.size === 0 && <p className="text-quiet">None this week.</p>}
      {[...grouped].map(([why, { count, first }]) => (
        <p key={why} className="border-b border-hair py-1">
          <b className="text-danger">{count} times</b>, first {when(first.from_minute)} to {when(first.to_minute)}:{' '}
          {why}.
        </p>
      ))}
    </section>
  );
}

/** Runs that are late, leave their window, or read what is still being written. */
function Misses({ week }: { week: Week }) {
  const grouped = new Map<string, number>();
  for (const miss of week.misses) grouped.set(miss.why, (grouped.get(miss.why) ?? 0) + 1);
  if (!grouped.size) return null;
  return (
    <section aria-label="Out of time" className="mt-3">
      <h3 className="border-b border-ink">Late, early, outside their window</h3>
      {[...grouped].map(([why, count]) => (
        <p key={why} className="border-b border-hair py-1">
          {count > 1 && <b className="text-danger">{count} times: </b>}
          {why}.
        </p>
      ))}
    </section>
  );
}

function Runs({ week, names, onAsk }: { week: Week; names: Map<string, string>; onAsk: (job: string) => void }) {
  const heavy = week.runs.filter((r) => r.resources.length);
  const longest = [...new Set(heavy.map((r) => r.job))].map((job) => {
    const runs = heavy.filter((r) => r.job === job);
    const worst = runs.reduce((a, b) => (b.seconds > a.seconds ? b : a));
    return { job, count: runs.length, worst };
  });
  longest.sort((a, b) => b.worst.seconds - a.worst.seconds);
  return (
    <section aria-label="Runs">
      <h3 className="border-b border-ink">Longest runs</h3>
      <table className="w-full">
        <thead>
          <tr>
            <th>Job</th>
            <th className="text-right">Runs</th>
            <th className="text-right">Longest</th>
            <th className="text-right">Alone</th>
            <th className="text-right">Moves</th>
            <th className="text-right">Ends</th>
          </tr>
        </thead>
        <tbody>
          {longest.map(({ job, count, worst }) => (
            <tr key={job} className="border-b border-hair">
              <td className="wrap-anywhere">{names.get(job)}</td>
              <td className="figure text-right">{count}</td>
              <td className="figure text-right">
                <Told onOpen={() => onAsk(job)}>{span(worst.seconds)}</Told>
              </td>
              <td className="figure text-right text-quiet">{span(worst.alone_seconds)}</td>
              <td className="figure text-right">{size(worst.moved_bytes)}</td>
              <td className="figure text-right">{clock(worst.ends_at)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
