import { useState } from 'react';
import type { Schemas } from '../../api/client';
import { usePlan } from '../../api/plan';
import { Slip } from '../../parts/Slip';
import { AssumptionEditor } from '../../parts/WorkingTree';
import { span } from '../../text/format';
import { FATES } from './ProofSheet';

/** The story of a cell: what dies, what each copy is then worth, which steps lead back. */
export function Story({ cell }: { cell: Schemas['Cell'] }) {
  const { plan, evaluation } = usePlan();
  const [open, setOpen] = useState(false);
  const dataset = plan.datasets.find((d) => d.id === cell.dataset);
  const hazard = evaluation.hazards.find((h) => h.id === cell.hazard);
  const jobs = new Map(plan.jobs.map((j) => [j.id, j.name]));
  const assumed = [...new Set([...cell.steps.map((s) => s.assumption), ...(PARAMETERS[cell.hazard] ?? [])])].filter(
    Boolean,
  );
  return (
    <section aria-label="Story" className="mt-3 border-t border-ink pt-2">
      <div className="flex flex-wrap items-baseline gap-x-3">
        <h2 className="wrap-anywhere">
          {dataset?.name}, {hazard?.title}
        </h2>
        <span className={cell.fate === 'lost' ? 'font-semibold text-danger' : 'text-quiet'}>
          {FATES[cell.fate]}
          {cell.fate === 'restored' &&
            `: ${span(cell.rpo_seconds ?? 0)} of work lost at worst, back in ${span(cell.rto_seconds ?? 0)}`}
          {cell.fate === 'restored' ? '. ' : ': '}
          {cell.why}.
        </span>
        {assumed.length > 0 && (
          <button className="act ml-auto" onClick={() => setOpen(true)}>
            assumptions
          </button>
        )}
      </div>
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
        </div>
        <div>
          <h3>The way back</h3>
          {cell.steps.length === 0 && <p className="text-quiet">Nothing to do.</p>}
          <ol>
            {cell.steps.map((s, n) => (
              <li key={`${n}-${s.text}`} className="flex gap-3 border-b border-hair">
                <span className="figure w-4 text-right text-quiet">{n + 1}</span>
                <span className="flex-1">{s.text}</span>
                <span className="figure">{span(s.hours * 3600)}</span>
              </li>
            ))}
          </ol>
        </div>
      </div>
      {open && (
        <Slip title="What this cell assumes" onClose={() => setOpen(false)}>
          {assumed.map((id) => (
            <AssumptionEditor key={id} id={id} />
          ))}
        </Slip>
      )}
    </section>
  );
}

/** Assumptions that a hazard itself is made of. */
const PARAMETERS: Record<string, string[]> = {
  deleted: ['deleted_notice_days', 'deleted_share'],
  malware: ['malware_notice_days'],
  offsite_silent: ['silence_days'],
};
