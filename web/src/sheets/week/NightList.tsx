/** The week on a telephone: day after day, each run with its hours; lanes would be too fine to read. */

import type { Schemas } from '../../api/client';
import { clock, span } from '../../text/format';

type Week = Schemas['Week'];
const DAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];

export function NightList({ week, names }: { week: Week; names: Map<string, string> }) {
  const clash = (run: Week['runs'][number]) =>
    week.clashes.some(
      (c) =>
        c.from_minute < run.to_minute && c.to_minute > run.from_minute && c.why.includes(names.get(run.job) ?? '\0'),
    );
  return (
    <div>
      {DAYS.map((day, n) => {
        const runs = week.runs.filter((r) => r.resources.length && Math.floor(r.from_minute / 1440) === n);
        const moments = week.runs.filter((r) => !r.resources.length && Math.floor(r.from_minute / 1440) === n).length;
        return (
          <section key={day} aria-label={day} className="mb-2">
            <h3 className="flex items-baseline border-b border-ink">
              {day}
              {moments > 0 && (
                <span className="unit ml-auto font-normal">
                  and {moments} {moments === 1 ? 'moment' : 'moments'}, as snapshots
                </span>
              )}
            </h3>
            {runs.length === 0 && <p className="text-quiet">Nothing copies.</p>}
            <ul>
              {runs.map((r) => (
                <li key={`${r.job} ${r.starts_at}`} className="flex items-baseline gap-3 border-b border-hair py-1.5">
                  <span className="figure shrink-0">
                    {clock(r.starts_at)} to {clock(r.ends_at)}
                  </span>
                  <span className="min-w-0 flex-1 wrap-anywhere">{names.get(r.job)}</span>
                  {clash(r) && <span className="font-semibold text-danger">clash</span>}
                  <span className="figure shrink-0 text-quiet">{span(r.seconds)}</span>
                </li>
              ))}
            </ul>
          </section>
        );
      })}
    </div>
  );
}
