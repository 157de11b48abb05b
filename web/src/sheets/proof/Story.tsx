import { useState } from 'react';
import { api, unwrap, type Schemas } from '../../api/client';
import { usePlan } from '../../api/plan';
import { AskedWorking } from '../../parts/AskedWorking';
import { span } from '../../text/format';
import { Fetch } from '../../parts/Fetch';
import { Words } from '../../parts/Words';
import { FATES, often } from './Cells';
import { Sign } from './Sign';

/** The story of a cell: what dies, what each copy is then worth, which steps lead back. */
export function Story({
  cell,
  title,
  question,
  today = false,
  planned,
}: {
  cell: Schemas['Cell'];
  title: string;
  question: string;
  today?: boolean;
  /** As it is planned, where the cell says what was found. */
  planned?: Schemas['Cell'] | undefined;
}) {
  const { plan, evaluation } = usePlan();
  const [open, setOpen] = useState(false);
  const fetch = evaluation.jobs.find((j) => j.id === cell.copy_job)?.fetch ?? [];
  const dataset = plan.datasets.find((d) => d.id === cell.dataset);
  const jobs = new Map(plan.jobs.map((j) => [j.id, j.name]));
  return (
    <section aria-label="Story" className="mt-3 border-t border-ink pt-2">
      <div className="flex flex-wrap items-baseline gap-x-3">
        <h2 className="wrap-anywhere">
          {dataset?.name}, {title}
        </h2>
        <span className={cell.fate === 'lost' ? 'font-semibold text-danger' : 'text-quiet'}>
          {FATES[cell.fate]}
          {today && ' as of today'}
          {planned && ' as found'}
          {cell.otherwise_job &&
            ` ${often(cell.never_share)} of the moments; in the others ${jobs.get(cell.otherwise_job) ?? ''} brings it back, ${span(cell.otherwise_rpo_seconds ?? 0)} of work lost on average`}
          {cell.fate === 'restored' &&
            `: ${span(cell.rpo_seconds ?? 0)} of work lost at worst, ${span(cell.rpo_mean_seconds ?? 0)} on average, ${span(cell.rpo_best_seconds ?? 0)} at best, back in ${span(cell.rto_seconds ?? 0)}`}
          {cell.fate === 'down' && ` for ${span(cell.rto_seconds ?? 0)}`}
          {cell.fate === 'restored' || cell.fate === 'down' ? '. ' : ': '}
          {cell.why}.{cell.readable && <b className="text-danger"> Others can read it.</b>}
        </span>
        <button className="act ml-auto" onClick={() => setOpen(true)}>
          working
        </button>
      </div>
      <p className="text-quiet">
        {question}
        {planned && planned !== cell && (
          <>
            {' '}
            Planned is: <b>{FATES[planned.fate]}</b>
            {planned.fate === 'restored' && `, ${span(planned.rpo_seconds ?? 0)} of work lost at worst`}.
          </>
        )}
      </p>
      <div className="mt-1 grid gap-x-8 gap-y-2 lg:grid-cols-[150px_minmax(0,1fr)_minmax(0,1.2fr)]">
        <div>
          <h3>Gone</h3>
          {cell.dies.length === 0 && <p className="text-quiet">nothing</p>}
          {cell.dies.map((d) => (
            <p key={d} className="wrap-anywhere line-through">
              {d}
            </p>
          ))}
        </div>
        <div>
          <h3>Copies, and what they are then worth</h3>
          {cell.copies.length === 0 && <p className="text-danger">There is no copy of it.</p>}
          {cell.copies.map((c) => (
            <p key={c.job} className={c.job === cell.copy_job ? 'font-semibold' : c.usable ? '' : 'text-quiet'}>
              {c.job === cell.copy_job ? '→ ' : ''}
              {jobs.get(c.job)} on {c.place}:{' '}
              {c.usable ? (
                <>
                  loses <span className="figure">{span(c.loses_seconds ?? 0)}</span>, {c.why}
                </>
              ) : (
                `no help, ${c.why}`
              )}
            </p>
          ))}
          {fetch.length > 0 && (
            <>
              <h3 className="mt-2">To fetch it from {jobs.get(cell.copy_job ?? '')}</h3>
              <Fetch how={fetch} />
            </>
          )}
        </div>
        <div>
          <h3>The way back</h3>
          {cell.steps.length === 0 && <p className="text-quiet">Nothing to do.</p>}
          {cell.steps.length > 0 && <Phases cell={cell} />}
          <ol>
            {cell.steps.map((s, n) => (
              <li key={`${n}-${s.text}`} className="flex gap-3 border-b border-hair">
                <span className="figure w-4 text-right text-quiet">{n + 1}</span>
                <span className="w-[62px] shrink-0 text-quiet">{s.phase}</span>
                <span className="min-w-0 flex-1 wrap-anywhere">
                  <Words>{s.text}</Words>
                </span>
                <span className="figure">{span(s.hours * 3600)}</span>
              </li>
            ))}
          </ol>
          {!today && !planned && <Sign cell={cell} />}
        </div>
      </div>
      {open && (
        <AskedWorking
          about={['cell', cell.dataset, cell.hazard, planned ? 'found' : today ? 'today' : 'settled']}
          ask={async (plan_id) =>
            unwrap(
              await api.GET('/api/plans/{plan_id}/proof/working', {
                params: {
                  path: { plan_id },
                  query: { dataset: cell.dataset, hazard: cell.hazard, today, found: planned !== undefined },
                },
              }),
            )
          }
          onClose={() => setOpen(false)}
        />
      )}
    </section>
  );
}

const PHASES = ['notice', 'fetch', 'replace', 'transfer', 'verify'] as const;

/** The time to be back as one bar, to scale: what is spent on what. */
function Phases({ cell }: { cell: Schemas['Cell'] }) {
  const hours = PHASES.map((p) => cell.steps.filter((s) => s.phase === p).reduce((sum, s) => sum + s.hours, 0));
  const all = hours.reduce((a, b) => a + b, 0);
  if (!all) return null;
  const width = 420;
  const starts = hours.map((_, n) => (hours.slice(0, n).reduce((a, b) => a + b, 0) / all) * width);
  return (
    <svg
      viewBox={`0 0 ${width + 2} 34`}
      width={width + 2}
      className="max-w-full"
      role="img"
      aria-label={PHASES.map((p, n) => `${p} ${span((hours[n] ?? 0) * 3600)}`).join(', ')}
    >
      {PHASES.map((p, n) => {
        const wide = ((hours[n] ?? 0) / all) * width;
        return wide < 0.5 ? null : (
          <g key={p}>
            <rect
              x={1 + (starts[n] ?? 0)}
              y="2"
              width={wide}
              height="12"
              fill={
                [
                  'var(--paper)',
                  'url(#hatch-reserve)',
                  'url(#hatch-stranded)',
                  'var(--data)',
                  'url(#hatch-redundancy)',
                ][n]
              }
              stroke="var(--ink)"
            />
            {wide > p.length * 6.4 + 4 && (
              <text x={4 + (starts[n] ?? 0)} y="27" style={{ fill: 'var(--quiet)' }}>
                {p}
              </text>
            )}
          </g>
        );
      })}
    </svg>
  );
}
