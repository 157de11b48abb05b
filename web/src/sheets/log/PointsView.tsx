/** Points that exist under those that are planned, runs as the boxes wrote them down, and measured growth. */

import { useState } from 'react';
import type { Schemas, Working } from '../../api/client';
import { useFound } from '../../api/looks';
import { useChange, usePlan } from '../../api/plan';
import { WorkingSlip } from '../../parts/WorkingSlip';
import { size, span } from '../../text/format';
import { day } from './when';

const HOW: Record<string, string> = {
  seen: 'seen where they lie',
  told: 'told by the box that ran it',
  'by hand': 'by hand: see the log',
  unknown: 'nobody looked',
};

export function PointsView() {
  const { plan } = usePlan();
  const { data, error } = useFound();
  const [working, setWorking] = useState<Working | null>(null);
  if (error) return <p role="alert">{error.message}</p>;
  if (!data) return <p data-waiting>Looking…</p>;
  const job = new Map(plan.jobs.map((j) => [j.id, j.name]));
  const dataset = new Map(plan.datasets.map((d) => [d.id, d.name]));
  const host = new Map(plan.hosts.map((h) => [h.id, h.name]));
  if (!data.asked)
    return (
      <p className="max-w-[700px] text-quiet">
        No box was looked at yet, so nobody knows which points exist. Keep a look under “planned and found”: the points
        that are there then stand beside the planned ones, and the Proof can be asked as found.
      </p>
    );
  const silent = [...new Map(data.points.filter((p) => p.late_seconds > 0).map((p) => [p.job, p])).values()];
  return (
    <div className="grid gap-y-5">
      {silent.length > 0 && (
        <section aria-label="Silent jobs">
          <h2 className="border-b border-ink">Silent for longer than their rhythm allows</h2>
          <ul>
            {silent.map((p) => (
              <li key={p.job} className="border-b border-hair py-0.5">
                <b className="text-danger">{job.get(p.job)}</b>: {p.why}, {span(p.late_seconds)} more than it ever
                should be.
              </li>
            ))}
          </ul>
        </section>
      )}
      <Hollow rows={data.hollow} job={job} />
      <section aria-label="Points">
        <h2>Points that exist</h2>
        <div className="relative overflow-x-auto">
          <table className="w-full">
            <thead>
              <tr className="border-b border-ink">
                <th>Job, dataset</th>
                <th className="text-right">Planned</th>
                <th className="text-right">There</th>
                <th className="text-right">Missing</th>
                <th className="text-right">Too many</th>
                <th>Newest</th>
                <th>How it is known</th>
              </tr>
            </thead>
            <tbody>
              {data.points.map((p) => (
                <tr key={`${p.job}/${p.dataset}`} className="border-b border-hair align-baseline">
                  <td className="wrap-anywhere">
                    <b>{job.get(p.job)}</b>, {dataset.get(p.dataset)}
                  </td>
                  <td className="text-right">
                    <button type="button" className="pick figure" onClick={() => setWorking(p.working)}>
                      {p.planned}
                    </button>
                  </td>
                  <td className="figure text-right">
                    {p.how === 'seen' ? p.there : p.how === 'told' && p.there ? '1 known' : '—'}
                  </td>
                  <td className={`figure text-right ${p.missing ? 'font-semibold text-danger' : ''}`}>
                    {p.how === 'seen' ? p.missing : '—'}
                    {p.pruned_early > 0 && <span className="unit"> {p.pruned_early} pruned early</span>}
                  </td>
                  <td className="figure text-right">{p.how === 'seen' ? p.too_many : '—'}</td>
                  <td className={p.late_seconds > 0 ? 'text-danger' : ''}>
                    {p.newest ? <span className="figure">{day(p.newest)}</span> : '—'}
                    {p.late_seconds > 0 && <span> {span(p.late_seconds)} late</span>}
                  </td>
                  <td>
                    {HOW[p.how]}
                    {p.host && <span className="text-quiet">, {host.get(p.host)}</span>}
                    {(p.how === 'unknown' || p.late_seconds > 0 || (p.how !== 'by hand' && !p.there)) && (
                      <span className="block text-quiet">{p.why}</span>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      </section>
      <WorkingSlip working={working} onClose={() => setWorking(null)} />
      <Grown rows={data.grown} onWorking={setWorking} />
      <section aria-label="Runs">
        <h2 className="border-b border-ink">Runs, as the boxes wrote them down</h2>
        {data.runs.length === 0 && <p className="text-quiet">No box has told of a run yet.</p>}
        <ul className="lg:columns-2">
          {data.runs.slice(0, 60).map((r) => (
            <li
              key={`${r.host}${r.job}${r.began}`}
              className="grid break-inside-avoid grid-cols-[168px_1fr_auto] gap-x-3 border-b border-hair py-0.5"
            >
              <span className="figure">{day(r.began)}</span>
              <span className="min-w-0 wrap-anywhere">
                <b>
                  {r.tried && 'tried: '}
                  {job.get(r.job_id) ?? r.job}
                </b>{' '}
                <span className="text-quiet">
                  {host.get(r.host)}, {span(r.seconds)}
                  {r.carried_bytes !== null && `, ${size(r.carried_bytes)}`}
                  {r.said && `: ${r.said}`}
                </span>
              </span>
              <span className={r.result === 'failed' ? 'font-semibold text-danger' : 'text-quiet'}>{r.result}</span>
            </li>
          ))}
        </ul>
      </section>
    </div>
  );
}

function Hollow({ rows, job }: { rows: Schemas['Hollow'][]; job: Map<string, string> }) {
  const [open, setOpen] = useState<Schemas['Hollow'] | null>(null);
  if (rows.length === 0) return null;
  return (
    <section aria-label="Hollow jobs">
      <h2 className="border-b border-ink">End well and carry next to nothing</h2>
      <ul>
        {rows.map((h) => (
          <li key={`${h.host}${h.job}`} className="border-b border-hair py-0.5">
            <b>{job.get(h.job)}</b>: {h.runs} runs in {Math.round(h.days)} days carried {size(h.carried_bytes)}, and by
            the plan{' '}
            <button type="button" className="pick figure" onClick={() => setOpen(h)}>
              {size(h.expected_bytes)}
            </button>{' '}
            changed. Look whether its source still holds what it should.
          </li>
        ))}
      </ul>
      <WorkingSlip working={open?.working ?? null} onClose={() => setOpen(null)} />
    </section>
  );
}

function Grown({ rows, onWorking }: { rows: Schemas['Grown'][]; onWorking: (w: Working) => void }) {
  const change = useChange();
  const told = rows.filter((r) => r.measured_bytes_per_year !== null);
  if (!told.length) return null;
  return (
    <section aria-label="Growth">
      <h2 className="border-b border-ink">Growth, as it was measured</h2>
      <ul>
        {told.map((r) => (
          <li key={r.dataset} className="flex flex-wrap items-baseline gap-x-3 border-b border-hair py-0.5">
            <b>{r.name}</b>
            <span>
              grew by{' '}
              <button type="button" className="pick figure" onClick={() => onWorking(r.working)}>
                {size(Math.max(0, r.measured_bytes_per_year ?? 0))}
              </button>{' '}
              a year over <span className="figure">{r.fills.length}</span> looks; planned are{' '}
              <span className="figure">{size(r.planned_bytes_per_year)}</span>
            </span>
            {r.change && (
              <button
                data-for="plans"
                className="act ml-auto"
                disabled={change.isPending}
                onClick={() =>
                  r.change &&
                  change.mutate({
                    edit: {
                      do: 'take',
                      things: [{ collection: r.change.collection, item: r.change.item }],
                      said: 'what was measured',
                    },
                  })
                }
              >
                plan with what was measured
              </button>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}
