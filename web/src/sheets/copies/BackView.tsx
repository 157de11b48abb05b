/** Can I have it back: written on, lost on, noticed on; each copy a row with the points that hold it. */

import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { scaleTime } from 'd3-scale';
import { useState } from 'react';
import { api, Refused, unwrap, type Schemas } from '../../api/client';
import { usePlan } from '../../api/plan';
import { Empty } from '../../parts/Empty';
import { Worked } from '../../parts/Asked';
import { Fetch } from '../../parts/Fetch';
import { Words } from '../../parts/Words';
import { WorkingSlip } from '../../parts/WorkingSlip';
import { DASHES, DashLegend, Plot } from '../../drawing/Plot';
import { Press } from '../../drawing/Press';
import { size, span } from '../../text/format';

const DAY = 86_400_000;
const WIDTH = 1180;
const LEFT = 190;
const ROW = 30;
const LABELS = [0, 7, 14, 30, 60, 90, 180, 365, 540];
const iso = (time: number) => new Date(time).toISOString().slice(0, 10);

export function BackView() {
  const { plan, evaluation, meta } = usePlan();
  const today = Date.parse(evaluation.today);
  const [dataset, setDataset] = useState(
    plan.datasets.find((d) => d.worth === 'irreplaceable')?.id ?? plan.datasets[0]?.id ?? '',
  );
  const [explained, setExplained] = useState<string | null>(null);
  const [days, setDays] = useState({
    written_on: iso(today - 60 * DAY),
    lost_on: iso(today - 20 * DAY),
    noticed_on: iso(today),
  });
  const asked = useQuery({
    queryKey: ['back', meta.id, meta.revision, dataset, days],
    enabled: dataset !== '' && Object.values(days).every((d) => /^\d{4}-\d{2}-\d{2}$/.test(d)),
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: async () =>
      unwrap(
        await api.GET('/api/plans/{plan_id}/back', {
          params: { path: { plan_id: meta.id }, query: { dataset, ...days } },
        }),
      ),
  });
  if (!plan.datasets.length)
    return (
      <Empty title="Can I have it back?">
        Name a dataset first, on Pools or Shares: then ask when a file was written, lost and missed.
      </Empty>
    );
  const wrong = asked.error instanceof Refused ? asked.error.problem : null;
  const found = asked.data;
  const names = new Map(plan.jobs.map((j) => [j.id, j.name]));
  const best = found?.copies.find((c) => c.job === found.best);
  const of = plan.datasets.find((d) => d.id === dataset);
  return (
    <div data-waiting={asked.isFetching || undefined}>
      <div className="flex flex-wrap items-start gap-x-5 gap-y-1">
        <h2>Can I have it back?</h2>
        <label className="flex items-center gap-2">
          a file of
          <select className="entry !w-auto" value={dataset} onChange={(e) => setDataset(e.target.value)}>
            {plan.datasets.map((d) => (
              <option key={d.id} value={d.id}>
                {d.name}
              </option>
            ))}
          </select>
        </label>
        {(
          [
            ['written_on', 'written on'],
            ['lost_on', 'lost on'],
            ['noticed_on', 'noticed on'],
          ] as const
        ).map(([key, label]) => {
          const complaint = wrong?.errors.find((e) => e.field === key)?.message;
          return (
            <label key={key} className="flex items-center gap-2">
              {label}
              <span>
                <input
                  className="entry figure !w-[112px]"
                  value={days[key]}
                  aria-invalid={complaint !== undefined}
                  onChange={(e) => setDays({ ...days, [key]: e.target.value })}
                />
                {complaint && (
                  <span role="alert" className="block text-danger">
                    {complaint}
                  </span>
                )}
              </span>
            </label>
          );
        })}
      </div>
      {wrong && !wrong.errors.length && (
        <p role="alert" className="text-danger">
          {wrong.detail}
        </p>
      )}
      {found && !wrong && (
        <>
          <p className="my-1" aria-live="polite">
            {best?.newest ? (
              <>
                <b>Yes, from {names.get(best.job)}</b>, as of {best.newest.slice(0, 16).replace('T', ' ')}:{' '}
                <Worked name="" value={span(best.loses_seconds ?? 0)} onOpen={() => setExplained(best.job)} /> of work
                are lost, and it takes{' '}
                <Worked name="" value={span((best.hours ?? 0) * 3600)} onOpen={() => setExplained(best.job)} />.
              </>
            ) : (
              <b className="text-danger">No: no copy has a point with it in it any more.</b>
            )}
          </p>
          <Combs back={found} names={names} onExplain={setExplained} />
          <WorkingSlip
            working={found.copies.find((c) => c.job === explained)?.working ?? null}
            onClose={() => setExplained(null)}
          />
          <div className="mt-3 grid gap-x-8 gap-y-3 xl:grid-cols-[600px_minmax(0,1fr)]">
            <section aria-label="The later it is noticed">
              <h3>The later it is noticed, the more is lost</h3>
              <Curves back={found} names={names} />
            </section>
            <section aria-label="How it is fetched">
              <h3>How it is fetched</h3>
              {!best && <p className="text-quiet">There is nothing to fetch.</p>}
              {best && (
                <ol>
                  {best.steps.map((s, n) => (
                    <li key={s.text} className="flex gap-3 border-b border-hair">
                      <span className="figure w-4 text-right text-quiet">{n + 1}</span>
                      <span className="min-w-0 flex-1 wrap-anywhere">
                        <Words>{s.text}</Words>
                      </span>
                      <span className="figure">{span(s.hours * 3600)}</span>
                    </li>
                  ))}
                </ol>
              )}
              {best && <Fetch how={evaluation.jobs.find((j) => j.id === best.job)?.fetch ?? []} />}
              {of && (
                <p className="unit mt-1">
                  For a lost part of {size(of.size_bytes)}: the share is an assumption of Proof, “Share of a dataset in
                  one accidental deletion”.
                </p>
              )}
            </section>
          </div>
        </>
      )}
    </div>
  );
}

function Combs({
  back,
  names,
  onExplain,
}: {
  back: Schemas['Back'];
  names: Map<string, string>;
  onExplain: (job: string) => void;
}) {
  const moments = {
    written: Date.parse(back.written_on) + DAY / 2,
    lost: Date.parse(back.lost_on) + DAY / 2,
    noticed: Date.parse(back.noticed_on) + DAY / 2,
  };
  const x = scaleTime([moments.written - 3 * DAY, moments.noticed + 3 * DAY], [LEFT, WIDTH - 20]);
  const height = 34 + Math.max(1, back.copies.length) * ROW + 20;
  // Words that would run into one another keep their distance.
  const at = {
    written: Math.max(x(moments.written), LEFT),
    noticed: Math.min(x(moments.noticed), WIDTH - 20),
    lost: Math.min(Math.max(x(moments.lost), x(moments.written) + 60), x(moments.noticed) - 60),
  };
  return (
    <div className="relative overflow-x-auto" role="group" tabIndex={0} aria-label="Points of each copy">
      <svg
        viewBox={`0 0 ${WIDTH} ${height}`}
        width={WIDTH}
        className="block min-w-[1180px]"
        role="group"
        aria-label="Points of each copy that hold the file"
      >
        <rect
          x={x(moments.written)}
          y="24"
          width={Math.max(0, x(moments.lost) - x(moments.written))}
          height={height - 44}
          fill="var(--desk)"
        />
        {x.ticks(8).map((t) => (
          <text key={t.getTime()} x={x(t)} y={height - 4} textAnchor="middle" style={{ fill: 'var(--quiet)' }}>
            {t.toISOString().slice(0, 10)}
          </text>
        ))}
        {back.copies.map((c, row) => {
          const y = 34 + row * ROW;
          return (
            <g key={c.job}>
              <path d={`M${LEFT} ${y + 20} H${WIDTH - 20}`} stroke="var(--hair)" />
              <Press name={`${names.get(c.job) ?? c.job}: show the working`} onPress={() => onExplain(c.job)}>
                <rect x="0" y={y} width={LEFT - 10} height="24" fill="transparent" />
                <text
                  x="0"
                  y={y + 16}
                  fontWeight={c.job === back.best ? 650 : 400}
                  textDecoration="underline"
                  style={{ textDecorationColor: 'var(--line)', textUnderlineOffset: 3 }}
                >
                  {(names.get(c.job) ?? c.job).slice(0, 26)}
                </text>
              </Press>
              {c.points.map((p) => (
                <path
                  key={p}
                  d={`M${x(Date.parse(p))} ${y + (p === c.newest ? 4 : 10)} V${y + 20}`}
                  stroke={p === c.newest && c.job === back.best ? 'var(--accent)' : 'var(--ink)'}
                  strokeWidth={p === c.newest ? 3 : 1.2}
                />
              ))}
              {c.points.length === 0 && (
                <text x={Math.max(x(moments.written), LEFT) + 8} y={y + 15} style={{ fill: 'var(--quiet)' }}>
                  {c.why}
                </text>
              )}
            </g>
          );
        })}
        {back.copies.length === 0 && (
          <text x={LEFT} y="50" style={{ fill: 'var(--danger)' }}>
            there is no copy of it
          </text>
        )}
        {(['written', 'lost', 'noticed'] as const).map((key) => (
          <g key={key}>
            <path
              d={`M${x(moments[key])} 20 V${height - 20}`}
              stroke={key === 'lost' ? 'var(--danger)' : 'var(--ink)'}
              strokeDasharray={key === 'lost' ? '4 2' : undefined}
              strokeWidth="1.5"
            />
            <text
              x={at[key]}
              y="14"
              textAnchor={key === 'written' ? 'start' : key === 'noticed' ? 'end' : 'middle'}
              fontWeight="650"
              style={{ fill: key === 'lost' ? 'var(--danger)' : 'var(--ink)' }}
            >
              {key}
            </text>
          </g>
        ))}
      </svg>
    </div>
  );
}

function Curves({ back, names }: { back: Schemas['Back']; names: Map<string, string> }) {
  const curves = back.curves
    .map((c) => ({
      name: names.get(c.job) ?? c.job,
      points: c.points.filter((p) => p.seconds != null).map((p) => ({ x: p.days, y: (p.seconds ?? 0) / 86_400 })),
    }))
    .filter((c) => c.points.length > 0)
    // Those that reach furthest; where they end together, those that lose least.
    .sort((a, b) => b.points.length - a.points.length || (a.points[0]?.y ?? 0) - (b.points[0]?.y ?? 0));
  if (!curves.length) return <p className="text-danger">No copy brings anything back, however early it is noticed.</p>;
  const several = curves.length > 1;
  const days = [...new Set(curves.flatMap((c) => c.points.map((p) => p.x)))].sort((a, b) => a - b);
  const lowest = days.map((x) => ({
    x,
    y: Math.min(...curves.flatMap((c) => c.points.filter((p) => p.x === x).map((p) => p.y))),
  }));
  const single = curves.slice(0, several ? DASHES.length - 1 : 1);
  const drawn = [
    ...(several ? [{ name: 'whichever copy is best', points: lowest, dash: DASHES[0] ?? '', weight: 3.5 }] : []),
    ...single.map((c, n) => ({ ...c, dash: DASHES[n + (several ? 1 : 0)] ?? '' })),
  ];
  const left = curves.length - single.length;
  const last = Math.max(...days);
  return (
    <>
      <Plot
        title="Days of work lost over days until it is noticed"
        width={600}
        height={220}
        log
        show={(y) => span(y * 86_400)}
        xLabels={LABELS.filter((d) => d <= last).map((d) => ({ x: d, text: `${d} d` }))}
        lines={drawn}
        marks={drawn.map((l) => {
          const end = l.points.at(-1) ?? { x: 0, y: 0 };
          return { x: end.x, y: end.y, text: end.x < 540 ? `until ${end.x} d` : 'even then' };
        })}
      />
      <DashLegend lines={drawn} />
      <p className="text-quiet">
        Across: days until it is noticed. Up: work lost at worst. A line ends where nothing comes back.
        {left > 0 &&
          ` Not drawn on their own: ${left} more ${left === 1 ? 'copy' : 'copies'} that ${left === 1 ? 'ends' : 'end'} sooner.`}
      </p>
    </>
  );
}
