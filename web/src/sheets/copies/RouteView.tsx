/** The route: where copies lie, the jobs that make them, and the points that each keeps. */

import { useState } from 'react';
import type { Items, Schemas, Working } from '../../api/client';
import { usePlan } from '../../api/plan';
import { Told } from '../../parts/Asked';
import { Differs } from '../../parts/Differs';
import { useFresh } from '../../api/forms';
import { ItemForm } from '../../parts/form/ItemForm';
import { Slip } from '../../parts/Slip';
import { useKeys } from '../../parts/useKeys';
import { useNarrow } from '../../parts/useNarrow';
import { WorkingSlip } from '../../parts/WorkingSlip';
import { size, span } from '../../text/format';
import { Comb } from './Comb';
import { JobFigure, type Asked, type Figure } from './JobFigure';
import { JobList } from './JobList';
import { HOLDERS } from './words';

import { RouteMap } from './RouteMap';

export function RouteView() {
  const { plan, evaluation } = usePlan();
  const [selected, setSelected] = useState<string | null>(evaluation.jobs[0]?.id ?? null);
  const [editing, setEditing] = useState<{ item: Items['jobs']; isNew: boolean } | null>(null);
  const [working, setWorking] = useState<Working | null>(null);
  const [asked, setAsked] = useState<Asked | null>(null);
  const fresh = useFresh();
  const narrow = useNarrow();
  const add = () =>
    plan.datasets.length &&
    setEditing({ item: { ...fresh('jobs'), datasets: plan.datasets.slice(0, 1).map((d) => d.id) }, isNew: true });
  useKeys({ n: add });
  const job = evaluation.jobs.find((j) => j.id === selected);
  const kindId = plan.jobs.find((j) => j.id === selected)?.kind;
  const kind = evaluation.kinds.find((k) => k.id === kindId);
  return (
    <div>
      <div className="mb-1 flex items-baseline gap-3">
        <h2>Where copies lie</h2>
        <span className="text-quiet max-lg:hidden">
          square: lives here · strokes: snapshots · ring: replica · hatched: versions · dashed: newest state only · box:
          shelf disk or bucket · bar inside: encrypted
        </span>
        <button data-for="plans" className="act ml-auto" disabled={!plan.datasets.length} onClick={add}>
          new job <span className="unit">N</span>
        </button>
      </div>
      {plan.datasets.length === 0 ? (
        <p>
          Copies are made of datasets, and datasets live on pools. Name the data on Pools or Shares first; then each
          dataset is a line here that calls at its copies.
        </p>
      ) : narrow ? null : (
        <RouteMap selected={selected} onSelect={setSelected} />
      )}
      {narrow && <JobList onEdit={(item) => setEditing({ item, isNew: false })} onAsk={setAsked} />}
      {!narrow && evaluation.jobs.length > 0 && (
        <table className="mt-2 w-full">
          <thead>
            <tr className="border-b border-ink">
              <th>Job</th>
              <th>Kind</th>
              <th>From, to</th>
              <th>When</th>
              <th>Keeps</th>
              <th className="pl-3 text-right">Points</th>
              <th className="pl-3 text-right">Hold</th>
              <th className="pl-3 text-right">Usual run</th>
              <th className="pl-3 text-right">Age: best, mean, worst</th>
              <th className="pl-4">Can delete it</th>
            </tr>
          </thead>
          <tbody>
            {evaluation.jobs.map((j) => (
              <JobRow
                key={j.id}
                view={j}
                job={plan.jobs.find((x) => x.id === j.id)}
                selected={j.id === selected}
                onSelect={() => setSelected(j.id)}
                onEdit={(item) => setEditing({ item, isNew: false })}
                onWorking={setWorking}
                onAsk={(figure) => setAsked({ job: j.id, figure })}
              />
            ))}
          </tbody>
        </table>
      )}
      {evaluation.jobs.length === 0 && plan.datasets.length > 0 && (
        <p className="mt-2">
          No job yet. RAID is not a copy: begin with snapshots, then a copy in another box, then one at another site.
        </p>
      )}
      {kind && (
        <p className="mt-2 max-w-[1100px]">
          <b>{kind.title}</b> {kind.does}. <span className="text-quiet">Needs</span> {kind.needs};{' '}
          <span className="text-quiet">locks</span> {kind.locks}; <span className="text-quiet">takes</span> {kind.takes}
          . <span className="text-quiet">Protects:</span> {kind.protects}. <span className="text-quiet">Does not:</span>{' '}
          {kind.does_not}.
        </p>
      )}
      {job && kind?.copies && (
        <div className="mt-3">
          <Comb key={job.id} job={job} />
        </div>
      )}
      {editing && (
        <Slip title={editing.isNew ? 'New job' : `Job ${editing.item.name}`} onClose={() => setEditing(null)}>
          <ItemForm collection="jobs" item={editing.item} isNew={editing.isNew} onDone={() => setEditing(null)} />
        </Slip>
      )}
      <WorkingSlip working={working} onClose={() => setWorking(null)} />
      {asked && <JobFigure asked={asked} onClose={() => setAsked(null)} />}
    </div>
  );
}

function JobRow({
  view,
  job,
  selected,
  onSelect,
  onEdit,
  onWorking,
  onAsk,
}: {
  view: Schemas['JobView'];
  job: Items['jobs'] | undefined;
  selected: boolean;
  onSelect: () => void;
  onEdit: (job: Items['jobs']) => void;
  onWorking: (working: Working) => void;
  onAsk: (figure: Figure) => void;
}) {
  const { evaluation } = usePlan();
  if (!job) return null;
  const copies = evaluation.kinds.find((k) => k.id === job.kind)?.copies ?? false;
  return (
    <tr className={`border-b border-hair ${selected ? 'bg-picked' : ''}`} onClick={onSelect}>
      <td>
        <button className="text-left font-semibold wrap-anywhere pick" onClick={() => onEdit(job)}>
          {job.name}
        </button>
        <Differs about={job.id} />
      </td>
      <td>
        {view.title}
        {job.encrypted && ', encrypted'}
      </td>
      <td className="wrap-anywhere">
        {view.source_name}
        {view.target_name !== view.source_name && ` → ${view.target_name}`}
      </td>
      <td>{view.schedule_words}</td>
      <td>{view.retention_words}</td>
      <td className="figure pl-3 text-right">
        {copies && <Told onOpen={() => onAsk('points')}>{view.points_today}</Told>}
      </td>
      <td className="figure pl-3 text-right whitespace-nowrap">
        {copies && view.held_bytes > 0 && <Told onOpen={() => onAsk('held')}>{size(view.held_bytes)}</Told>}
      </td>
      <Hours working={view.usual_run} onOpen={onWorking} />
      <td className="figure pl-3 text-right whitespace-nowrap">
        {copies && (
          <Told onOpen={() => onAsk('ages')}>
            {view.newest_age_seconds == null
              ? 'never'
              : [view.best_age_seconds, view.mean_age_seconds, view.newest_age_seconds]
                  .map((a) => span(a ?? 0))
                  .join(', ')}
          </Told>
        )}
      </td>
      <td className="pl-4">{copies ? HOLDERS[job.credentials] : ''}</td>
    </tr>
  );
}

function Hours({ working, onOpen }: { working: Working; onOpen: (working: Working) => void }) {
  const hours = working.value;
  return (
    <td className="figure pl-3 text-right whitespace-nowrap">
      <Told onOpen={() => onOpen(working)}>
        {typeof hours === 'number' ? (hours === 0 ? 'none' : span(hours * 3600)) : 'no way'}
      </Told>
    </td>
  );
}
