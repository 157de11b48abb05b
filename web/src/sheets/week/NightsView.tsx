/** A year of nights as bars: how long each is at work, and the worst of every month. */

import { scaleLinear } from 'd3-scale';
import { useState } from 'react';
import type { Schemas, Working } from '../../api/client';
import { usePlan } from '../../api/plan';
import { Empty } from '../../parts/Empty';
import { useQuestion } from '../../api/questions';
import { Progress, Worked } from '../../parts/Asked';
import { WorkingSlip } from '../../parts/WorkingSlip';
import { clock } from '../../text/format';

type Night = Schemas['Night'];
const WIDTH = 1200;
const HEIGHT = 190;
const LEFT = 44;

export function NightsView() {
  const { plan } = usePlan();
  const [working, setWorking] = useState<Working | null>(null);
  const asking = useQuestion<'nights'>(plan.jobs.length ? { kind: 'nights', days: 366 } : null);
  if (!plan.jobs.length) return <Empty title="The nights of a year">No jobs yet: the nights are empty.</Empty>;
  const found = asking.answer;
  const names = new Map(plan.jobs.map((j) => [j.id, j.name]));
  return (
    <div>
      <div className="mb-1 flex flex-wrap items-baseline gap-3">
        <h2>The nights of a year</h2>
        <span className="text-quiet">
          from noon to noon; each bar is the hours in which anything runs; heavy: the longest of its month
        </span>
      </div>
      <Progress asking={asking} what="running the year" />
      {found && (
        <>
          <Bars nights={found.nights} worst={new Set(found.worst.map((n) => n.day))} />
          <table className="mt-2">
            <thead>
              <tr className="border-b border-ink">
                <th>Longest night of the month</th>
                <th className="pl-5 text-right">At work</th>
                <th className="pl-5 text-right">Ends</th>
                <th className="pl-5 text-right">Runs</th>
                <th className="pl-5 text-right">Slowed</th>
                <th className="pl-5">Slowed most</th>
              </tr>
            </thead>
            <tbody>
              {found.worst.map((n) => (
                <tr key={n.day} className="border-b border-hair">
                  <td className="figure">{n.day}</td>
                  <td className="figure pl-5 text-right">
                    <Worked
                      name=""
                      value={
                        <>
                          {n.busy_hours.toFixed(1)} <span className="unit">h</span>
                        </>
                      }
                      onOpen={() => setWorking(n.working ?? null)}
                    />
                  </td>
                  <td className="figure pl-5 text-right">
                    {n.ends_at.slice(0, 10) === n.day ? '' : `${n.ends_at.slice(5, 10)} `}
                    {clock(n.ends_at)}
                  </td>
                  <td className="figure pl-5 text-right">
                    <Worked name="" value={n.runs} onOpen={() => setWorking(n.working ?? null)} />
                  </td>
                  <td className="figure pl-5 text-right">
                    <Worked name="" value={n.slowed} onOpen={() => setWorking(n.working ?? null)} />
                  </td>
                  <td className="pl-5">
                    {n.slowed
                      ? `${names.get(n.worst_job) ?? ''}, ${n.worst_slowdown.toFixed(1)} times as long`
                      : 'nobody'}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          <WorkingSlip working={working} onClose={() => setWorking(null)} />
        </>
      )}
    </div>
  );
}

function Bars({ nights, worst }: { nights: Night[]; worst: Set<string> }) {
  const most = Math.max(...nights.map((n) => n.busy_hours), 1);
  const first = Date.parse(nights[0]?.day ?? '');
  const last = Date.parse(nights.at(-1)?.day ?? '') + 86_400_000;
  const x = scaleLinear([first, last], [LEFT, WIDTH - 10]);
  const y = scaleLinear([0, most * 1.05], [HEIGHT - 22, 8]);
  const wide = Math.max(1, (WIDTH - LEFT) / Math.max(nights.length, 1) - 0.8);
  const months = nights.filter((n) => n.day.endsWith('-01'));
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="w-full"
      role="img"
      aria-label={`${nights.length} nights, the longest ${most.toFixed(1)} hours`}
    >
      {y.ticks(4).map((t) => (
        <g key={t}>
          <path d={`M${LEFT} ${y(t)} H${WIDTH - 10}`} stroke="var(--hair)" />
          <text x={LEFT - 6} y={y(t) + 4} textAnchor="end" className="figure">
            {`${t} h`}
          </text>
        </g>
      ))}
      {months.map((m) => (
        <text key={m.day} x={x(Date.parse(m.day))} y={HEIGHT - 6} style={{ fill: 'var(--quiet)' }}>
          {m.day.slice(0, 7)}
        </text>
      ))}
      {nights.map((n) => (
        <rect
          key={n.day}
          x={x(Date.parse(n.day))}
          y={y(n.busy_hours)}
          width={wide}
          height={Math.max(0, y(0) - y(n.busy_hours))}
          fill={worst.has(n.day) ? 'var(--ink)' : 'var(--data)'}
          stroke={worst.has(n.day) ? 'var(--ink)' : 'none'}
        >
          <title>{`${n.day}: ${n.busy_hours.toFixed(1)} h, ${n.runs} runs`}</title>
        </rect>
      ))}
      <path d={`M${LEFT} 8 V${HEIGHT - 22} H${WIDTH - 10}`} fill="none" stroke="var(--ink)" />
    </svg>
  );
}
