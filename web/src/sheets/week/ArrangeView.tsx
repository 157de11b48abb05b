/** Arrange for me: which starts would move and why, what cannot fit, and the month before and after. */

import { useState } from 'react';
import type { Schemas, Working } from '../../api/client';
import { useChange, usePlan } from '../../api/plan';
import { useQuestion } from '../../api/questions';
import { Progress, Worked } from '../../parts/Asked';
import { Empty } from '../../parts/Empty';
import { WorkingSlip } from '../../parts/WorkingSlip';

const HOUR = 34;
const LEFT = 190;
const ROW = 26;
/** The night stands in the middle: the axis runs from noon to noon. */
const across = (clock: string) => {
  const [h = 0, m = 0] = clock.split(':').map(Number);
  return LEFT + ((h + m / 60 + 12) % 24) * HOUR;
};

export function ArrangeView({ onDone }: { onDone: () => void }) {
  const { plan } = usePlan();
  const change = useChange();
  const [wrong, setWrong] = useState('');
  const asking = useQuestion<'arrange'>(plan.jobs.length ? { kind: 'arrange' } : null);
  if (!plan.jobs.length)
    return <Empty title="Arrange for me">No jobs yet: they are made on Copies (key 4), and arranged here.</Empty>;
  const found = asking.answer?.arrangement;
  const names = new Map(plan.jobs.map((j) => [j.id, j.name]));
  const apply = async (jobs: Schemas['Job'][]) => {
    try {
      const starts = Object.fromEntries(jobs.map((j) => [j.id, j.schedule.at]));
      await change.mutateAsync({ edit: { do: 'starts', starts } });
      onDone();
    } catch (error) {
      setWrong((error as Error).message);
    }
  };
  return (
    <div>
      <div className="mb-1 flex flex-wrap items-baseline gap-3">
        <h2>Start times moved so that nothing clashes</h2>
        <span className="text-quiet">
          Within each job’s window, else the quiet hours. Fixed starts, hourly jobs and what is done by hand stay.
        </span>
        {found && found.moves.length > 0 && (
          <button
            data-for="plans"
            className="act ml-auto font-semibold"
            disabled={change.isPending}
            onClick={() => void apply(found.jobs)}
          >
            move {found.moves.length === 1 ? 'it' : `all ${found.moves.length}`}
          </button>
        )}
      </div>
      {wrong && (
        <p role="alert" className="text-danger">
          {wrong}
        </p>
      )}
      <Progress asking={asking} what="trying orders" />
      {found && (
        <>
          <Months before={found.before} after={found.after} />
          {found.moves.length === 0 && (
            <p className="my-2">
              {found.unfit.length
                ? 'Moving start times does not help further.'
                : 'Nothing has to move: it fits as it is.'}
            </p>
          )}
          {found.moves.length > 0 && <Moves moves={found.moves} names={names} />}
          {found.unfit.map((u) => (
            <section key={u.job} className="mt-3 border border-danger bg-blush px-3 py-2" aria-label="Does not fit">
              <p>
                <b className="text-danger">{names.get(u.job)} does not fit:</b> {u.why}.
              </p>
              <p>It would fit with {u.remedies.join('; or with ')}.</p>
            </section>
          ))}
        </>
      )}
    </div>
  );
}

const FIGURES = [
  ['overlaps', 'overlaps'],
  ['out_of_window', 'outside their window'],
  ['too_early', 'read too early'],
  ['late', 'start late or not at all'],
] as const;

function Months({ before, after }: { before: Schemas['Counts']; after: Schemas['Counts'] }) {
  const [working, setWorking] = useState<Working | null>(null);
  return (
    <>
      <table className="my-2">
        <thead>
          <tr className="border-b border-ink">
            <th>The coming five weeks</th>
            {FIGURES.map(([, title]) => (
              <th key={title} className="pl-5 text-right">
                {title}
              </th>
            ))}
            <th className="pl-5 text-right">copies are old, on average</th>
          </tr>
        </thead>
        <tbody>
          {(
            [
              ['as it is', before],
              ['arranged', after],
            ] as const
          ).map(([title, c]) => (
            <tr key={title} className="border-b border-hair">
              <td>
                <Worked name={title} value="" onOpen={() => setWorking(c.working)} />
              </td>
              {FIGURES.map(([key]) => (
                <td key={key} className={`figure pl-5 text-right ${c[key] ? 'font-semibold text-danger' : ''}`}>
                  {c[key]} <span className="unit">{c[key] === 1 ? 'run' : 'runs'}</span>
                </td>
              ))}
              <td className="figure pl-5 text-right">
                {c.mean_age_hours.toFixed(1)} <span className="unit">h</span>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <WorkingSlip working={working} onClose={() => setWorking(null)} />
    </>
  );
}

function Moves({ moves, names }: { moves: Schemas['Arrangement']['moves']; names: Map<string, string> }) {
  const { evaluation } = usePlan();
  const { quiet_from_hour: from, quiet_to_hour: to } = evaluation.week;
  const height = 26 + moves.length * ROW;
  const quiet = (hour: number) => across(`${Math.floor(hour)}:${Math.round((hour % 1) * 60)}`);
  return (
    <div className="grid max-w-[1010px] gap-y-3">
      <svg
        viewBox={`0 0 ${LEFT + 24 * HOUR + 4} ${height}`}
        className="w-full"
        role="img"
        aria-label={`${moves.length} starts that move`}
      >
        <rect
          x={quiet(from)}
          y="18"
          width={Math.max(0, quiet(to) - quiet(from))}
          height={height - 18}
          fill="var(--desk)"
        />
        {Array.from({ length: 9 }, (_, n) => (n * 3 + 12) % 24).map((h, n) => (
          <g key={n}>
            <path d={`M${LEFT + n * 3 * HOUR} 18 V${height}`} stroke="var(--hair)" />
            <text
              x={LEFT + n * 3 * HOUR}
              y="12"
              textAnchor={n === 8 ? 'end' : 'middle'}
              style={{ fill: 'var(--quiet)' }}
            >
              {`${String(h).padStart(2, '0')}:00`}
            </text>
          </g>
        ))}
        {moves.map((m, n) => {
          const y = 34 + n * ROW;
          return (
            <g key={m.job}>
              <title>{m.why}</title>
              <text x="0" y={y + 4}>
                {(names.get(m.job) ?? '').slice(0, 26)}
              </text>
              <circle
                cx={across(m.before)}
                cy={y}
                r="5"
                fill="var(--paper)"
                stroke="var(--line)"
                strokeDasharray="2 2"
              />
              <path d={`M${across(m.before)} ${y} H${across(m.after)}`} stroke="var(--ink)" strokeDasharray="3 3" />
              <circle cx={across(m.after)} cy={y} r="5" fill="var(--accent)" />
            </g>
          );
        })}
      </svg>
      <table className="w-full self-start">
        <thead>
          <tr className="border-b border-ink">
            <th>Job</th>
            <th className="text-right">From</th>
            <th className="text-right">To</th>
            <th className="pl-3">Why</th>
          </tr>
        </thead>
        <tbody>
          {moves.map((m) => (
            <tr key={m.job} className="border-b border-hair align-baseline">
              <td className="wrap-anywhere">{names.get(m.job)}</td>
              <td className="figure text-right">{m.before}</td>
              <td className="figure text-right font-semibold">{m.after}</td>
              <td className="pl-3 text-quiet">{m.why}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
