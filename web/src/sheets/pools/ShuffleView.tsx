/** The shuffle: full disks become the wanted pools, step by step, never without a whole copy. */

import { useState } from 'react';
import { Link } from 'react-router';
import type { Items, Schemas, Working } from '../../api/client';
import { usePlan } from '../../api/plan';
import { useQuestion } from '../../api/questions';
import { MoveLanes } from '../../drawing/MoveLanes';
import { Progress, Worked } from '../../parts/Asked';
import { ItemForm } from '../../parts/form/ItemForm';
import { Slip } from '../../parts/Slip';
import { WorkingSlip } from '../../parts/WorkingSlip';
import { size, span } from '../../text/format';
import { RunSheet } from './RunSheet';

export function ShuffleView() {
  const { meta } = usePlan();
  const asking = useQuestion<'shuffle'>({ kind: 'shuffle' });
  const [working, setWorking] = useState<Working | null>(null);
  const move = asking.answer?.shuffle;
  return (
    <div>
      <div className="mb-1 flex flex-wrap items-baseline gap-x-4">
        <h2>The shuffle: moving in without losing anything</h2>
        {move && move.steps.length > 0 && (
          <span>
            <Worked name="takes" value={span(move.hours * 3600)} onOpen={() => setWorking(move.working)} />, safest
            order of <span className="figure">{move.states_searched}</span> states; wipes that leave one whole copy{' '}
            <span className={`figure ${move.single_copy_steps ? 'font-semibold text-danger' : ''}`}>
              {move.single_copy_steps}
            </span>
          </span>
        )}
        <Link className="act ml-auto" to={`/plan/${meta.id}/run-sheet`}>
          run sheet for the rack
        </Link>
      </div>
      <Progress asking={asking} what="looking for the safest order" />
      {move && <Answer move={move} onWorking={setWorking} />}
      <Holdings />
      <WorkingSlip working={working} onClose={() => setWorking(null)} />
    </div>
  );
}

function Answer({ move, onWorking }: { move: Schemas['Shuffle']; onWorking: (working: Working) => void }) {
  const touched = new Set(move.steps.flatMap((s) => [s.source, s.target, ...s.lanes]));
  const lanes = move.lanes.filter((l) => touched.has(l.id));
  const done = move.ticked.filter((t) => t.fits && t.outcome === 'done').length;
  if (!move.wanted)
    return (
      <p className="max-w-[640px]">
        Nothing is to be moved: {move.needs}. Mark a pool as wanted (untick that it stands) or want one under Find a
        layout, and say below which disks hold what; the safest order of steps follows.
      </p>
    );
  if (move.needs && !move.steps.length)
    return (
      <p role="status" className="max-w-[760px] border-l-2 border-danger pl-2">
        {move.needs}
      </p>
    );
  return (
    <>
      {move.steps.length > 0 && (
        <MoveLanes
          title={`${move.steps.length} steps over ${lanes.length} disks and pools`}
          lanes={lanes.map((l) => ({
            id: l.id,
            label: l.kind === 'pool' ? `pool ${l.label}` : l.label,
            below: l.kind === 'pool' ? 'wanted' : l.holds.join(', ') || 'blank',
            pool: l.kind === 'pool',
          }))}
          steps={move.steps.map((s, n) => ({
            key: s.key,
            number: done + n + 1,
            verb: s.verb,
            source: s.source,
            target: s.target,
            lanes: s.lanes,
            hours: s.hours,
            alarm: s.verb === 'wipe' && s.least_copies === 1,
          }))}
          counts={move.steps.map((s) => s.least_copies)}
        />
      )}
      <RunSheet move={move} onWorking={onWorking} />
    </>
  );
}

/** Which disks hold whole copies of what before the move. */
function Holdings() {
  const { plan } = usePlan();
  const [editing, setEditing] = useState<{ item: Items['holdings']; isNew: boolean } | null>(null);
  const disks = new Map(plan.disks.map((d) => [d.id, d]));
  const data = new Map(plan.datasets.map((d) => [d.id, d]));
  return (
    <section aria-label="What the old disks hold" className="mt-4">
      <div className="flex items-baseline border-b border-ink">
        <h2>What the old disks hold</h2>
        <button
          data-for="plans"
          className="act mb-0.5 ml-auto"
          disabled={!plan.disks.length || !plan.datasets.length}
          onClick={() =>
            setEditing({
              isNew: true,
              item: { id: '', disk: plan.disks[0]?.id ?? '', dataset: plan.datasets[0]?.id ?? '', verified: true },
            })
          }
        >
          a disk holds something
        </button>
      </div>
      {plan.holdings.length === 0 && (
        <p className="text-quiet">
          Nothing yet: say which disk holds a whole copy of which dataset, so that no step wipes the last one.
        </p>
      )}
      <ul>
        {plan.holdings.map((h) => (
          <li key={h.id} className="border-b border-hair py-0.5">
            <button className="pick font-semibold" onClick={() => setEditing({ item: h, isNew: false })}>
              {disks.get(h.disk)?.label}: {data.get(h.dataset)?.name}
            </button>{' '}
            <span className="figure">{size(data.get(h.dataset)?.size_bytes ?? 0)}</span>{' '}
            <span className={h.verified ? 'text-quiet' : 'font-semibold text-danger'}>
              {h.verified ? 'read back and compared' : 'never read back: does not count'}
            </span>
          </li>
        ))}
      </ul>
      {editing && (
        <Slip title={editing.isNew ? 'A disk holds something' : 'What a disk holds'} onClose={() => setEditing(null)}>
          <ItemForm collection="holdings" item={editing.item} isNew={editing.isNew} onDone={() => setEditing(null)} />
        </Slip>
      )}
    </section>
  );
}
