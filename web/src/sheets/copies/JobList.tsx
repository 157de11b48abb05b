/** Copies on a telephone: dataset after dataset, the jobs that copy it, where to, and how old the newest is. */

import type { Items } from '../../api/client';
import { usePlan } from '../../api/plan';
import { Worked } from '../../parts/Asked';
import { Differs } from '../../parts/Differs';
import { span } from '../../text/format';
import type { Asked } from './JobFigure';

export function JobList({ onEdit, onAsk }: { onEdit: (job: Items['jobs']) => void; onAsk: (figure: Asked) => void }) {
  const { plan, evaluation } = usePlan();
  const views = new Map(evaluation.jobs.map((j) => [j.id, j]));
  return (
    <div>
      {plan.datasets.map((d) => {
        const jobs = plan.jobs.filter((j) => j.datasets.includes(d.id));
        return (
          <section key={d.id} aria-label={d.name} className="mb-3">
            <h3 className="border-b border-ink wrap-anywhere">{d.name}</h3>
            {jobs.length === 0 && <p className="text-danger">Nothing copies it.</p>}
            <ul>
              {jobs.map((job) => {
                const view = views.get(job.id);
                if (!view) return null;
                return (
                  <li key={job.id} className="border-b border-hair py-1">
                    <button
                      className="pick flex min-h-[44px] w-full items-center text-left font-semibold wrap-anywhere"
                      onClick={() => onEdit(job)}
                    >
                      {job.name}
                    </button>
                    <p className="text-quiet">
                      <Differs about={job.id} /> {view.title}
                      {view.target_name !== view.source_name && ` to ${view.target_name}`}, {view.schedule_words}; keeps{' '}
                      {view.retention_words || 'nothing of its own'}
                      {view.newest_age_seconds != null && (
                        <>
                          ;{' '}
                          <Worked
                            name="at worst"
                            value={span(view.newest_age_seconds)}
                            onOpen={() => onAsk({ job: job.id, figure: 'ages' })}
                          />{' '}
                          old
                        </>
                      )}
                    </p>
                  </li>
                );
              })}
            </ul>
          </section>
        );
      })}
    </div>
  );
}
