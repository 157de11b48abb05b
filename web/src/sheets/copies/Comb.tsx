/** The comb: a tooth for each point that is kept, and two handles: deleted on, noticed on. */

import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { scaleTime } from 'd3-scale';
import { useState } from 'react';
import { api, unwrap, type Schemas, type Working } from '../../api/client';
import { useFound } from '../../api/looks';
import { usePlan } from '../../api/plan';
import { WorkingSlip } from '../../parts/WorkingSlip';
import { size, span } from '../../text/format';

const WIDTH = 1000;
const LEFT = 10;
const DAY = 86_400_000;

const stamp = (iso: string) => iso.slice(0, 16).replace('T', ' ');
const dayOf = (time: number) => new Date(time).toISOString().slice(0, 10);

export function Comb({ job }: { job: Schemas['JobView'] }) {
  const { meta, plan, evaluation } = usePlan();
  const name = plan.jobs.find((j) => j.id === job.id)?.name ?? '';
  const today = Date.parse(evaluation.today);
  const [noticed, setNoticed] = useState(today);
  const [deletedAgo, setDeletedAgo] = useState(30);
  const [working, setWorking] = useState<Working | null>(null);
  const found = useQuery({
    queryKey: ['points', meta.id, meta.revision, job.id, dayOf(noticed)],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      unwrap(
        await api.GET('/api/plans/{plan_id}/points', {
          params: { path: { plan_id: meta.id }, query: { job: job.id, on: dayOf(noticed) } },
        }),
      ).points,
  });
  const points = found.data ?? [];
  const [over, setOver] = useState<string | null>(null);
  const shown = points.find((p) => p.data_time === over) ?? points.at(-1);
  const deleted = noticed - deletedAgo * DAY;
  const times = points.map((p) => Date.parse(p.data_time));
  const first = Math.min(deleted, ...times, noticed - 30 * DAY) - DAY;
  const x = scaleTime([first, noticed + DAY], [LEFT, WIDTH - LEFT]);
  // Deleted at noon of its day: points from before that help.
  const moment = deleted + DAY / 2;
  // What was found on the box that has them: ink below the line, planned points above it.
  const looked = useFound().data?.points.filter((p) => p.job === job.id && p.how === 'seen') ?? [];
  const there = looked.reduce<(typeof looked)[number] | undefined>(
    (worst, p) => (!worst || p.missing > worst.missing ? p : worst),
    undefined,
  );
  const good = times.filter((t) => t <= moment);
  const back = good.length ? Math.max(...good) : null;
  return (
    <section aria-label={`Points of ${name}`} data-waiting={found.data ? undefined : true}>
      <h3 className="wrap-anywhere">
        {name}: {points.length} points on {dayOf(noticed)}, keeps {job.retention_words}
      </h3>
      <svg
        viewBox={`0 0 ${WIDTH} 84`}
        className="w-full max-w-[1100px]"
        role="img"
        aria-label={`Comb of ${points.length} kept points`}
      >
        {x.ticks(8).map((t) => (
          <g key={t.getTime()}>
            <path d={`M${x(t)} 18 V58`} stroke="var(--hair)" />
            <text x={Math.max(x(t), LEFT + 36)} y="74" textAnchor="middle" style={{ fill: 'var(--quiet)' }}>
              {t.toISOString().slice(0, 10)}
            </text>
          </g>
        ))}
        <path d={`M${LEFT} 58 H${WIDTH - LEFT}`} stroke="var(--ink)" strokeWidth="1.5" />
        {points.map((p) => {
          const t = Date.parse(p.data_time);
          return (
            <path
              key={p.data_time}
              d={`M${x(t)} ${t === back ? 22 : p.data_time === shown?.data_time ? 28 : 34} V58`}
              stroke={t === back ? 'var(--accent)' : 'var(--ink)'}
              strokeWidth={t === back || p.data_time === over ? 3 : 1.2}
              onMouseEnter={() => setOver(p.data_time)}
            >
              <title>{`${stamp(p.data_time)} UTC: ${p.kept_by.join(', ')}; removing it frees ${size(p.frees_bytes)}`}</title>
            </path>
          );
        })}
        {there?.times.map((iso) => (
          <path key={iso} d={`M${x(Date.parse(iso))} 59 V65`} stroke="var(--ink)" strokeWidth="2" />
        ))}
        {there?.first_missing.map((iso) => (
          <circle
            key={iso}
            cx={x(Date.parse(iso))}
            cy="62"
            r="2.5"
            fill="none"
            stroke="var(--danger)"
            strokeWidth="1.5"
          />
        ))}
        <path d={`M${x(moment)} 20 V64`} stroke="var(--danger)" strokeWidth="2" strokeDasharray="4 2" />
        <text
          x={Math.min(Math.max(x(moment), 40), WIDTH - 130)}
          y="13"
          textAnchor="middle"
          style={{ fill: 'var(--danger)' }}
        >
          deleted
        </text>
        <text x={x(noticed) - 2} y="13" textAnchor="end" fontWeight="650">
          noticed
        </text>
      </svg>
      {there?.looked_at && (
        <p className="text-quiet">
          Below the line what was found on {there.looked_at.slice(0, 10)}: <span className="figure">{there.there}</span>{' '}
          points
          {there.missing > 0 && (
            <b className="text-danger">
              , {there.missing} missing (rings)
              {there.pruned_early > 0 && `, ${there.pruned_early} of them pruned early`}
            </b>
          )}
          .
        </p>
      )}
      {shown && (
        <p className="flex flex-wrap items-center gap-x-3">
          <label className="flex items-center gap-2">
            point
            <select
              className="entry !w-auto figure"
              aria-label="Point"
              value={shown.data_time}
              onChange={(e) => setOver(e.target.value)}
            >
              {points.map((p) => (
                <option key={p.data_time} value={p.data_time}>
                  {stamp(p.data_time)}
                </option>
              ))}
            </select>
            <span className="unit">UTC</span>
          </label>
          <span>
            is kept as: <b>{shown.kept_by.join('; ')}</b>
            {shown.expires_at && `, until ${shown.expires_at.slice(0, 10)}`}. Removing it frees{' '}
            <button type="button" className="pick figure" onClick={() => setWorking(shown.frees_working)}>
              {size(shown.frees_bytes)}
            </button>
            {shown.frees_bytes === 0 && ': its neighbours hold the rest'}.
          </span>
        </p>
      )}
      <div className="flex flex-wrap items-center gap-x-6 gap-y-1">
        <label className="flex items-center gap-2">
          noticed
          <input
            type="range"
            className="h-[24px]"
            min={0}
            max={364}
            value={Math.round((noticed - today) / DAY)}
            onChange={(e) => setNoticed(today + Number(e.target.value) * DAY)}
            aria-valuetext={dayOf(noticed)}
          />
          <span className="figure">{dayOf(noticed)}</span>
        </label>
        <label className="flex items-center gap-2">
          deleted
          <input
            type="range"
            className="h-[24px]"
            min={0}
            max={400}
            value={deletedAgo}
            onChange={(e) => setDeletedAgo(Number(e.target.value))}
            aria-valuetext={`${deletedAgo} days before`}
          />
          <span className="figure">{deletedAgo} d before</span>
        </label>
        <p aria-live="polite">
          {back === null ? (
            <b className="text-danger">Nothing comes back: no point from before is left.</b>
          ) : (
            <>
              <b>Comes back as of {new Date(back).toISOString().slice(0, 16).replace('T', ' ')} UTC</b>, losing{' '}
              <span className="figure">{span((moment - back) / 1000)}</span> of work.
            </>
          )}
        </p>
      </div>
      <WorkingSlip working={working} onClose={() => setWorking(null)} />
    </section>
  );
}
