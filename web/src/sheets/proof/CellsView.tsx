/** One hazard at a time: every dataset against every hazard, and the story of the chosen cell. */

import { useRef, useState } from 'react';
import type { Schemas } from '../../api/client';
import { useFound } from '../../api/looks';
import { usePlan } from '../../api/plan';
import { Pick } from '../../parts/Pick';
import { useNarrow } from '../../parts/useNarrow';
import { CellList } from './CellList';
import { Cells } from './Cells';
import { Story } from './Story';

/** What is not yet as it will be: how many cells are worse today, and from when each dataset is covered. */
function Today() {
  const { plan, evaluation } = usePlan();
  const names = new Map(plan.datasets.map((d) => [d.id, d.name]));
  const waiting = evaluation.covers.filter((c) => !c.covered && c.covers_from);
  // A copy is planned, and nobody knows from when it will be there.
  const open = new Map<string, string[]>();
  for (const c of evaluation.covers.filter((c) => !c.covered && !c.covers_from && c.job))
    open.set(c.why, [...(open.get(c.why) ?? []), names.get(c.dataset) ?? c.dataset]);
  const count = evaluation.proof_today.length;
  if (!count && !waiting.length && !open.size) return null;
  return (
    <p className="mb-1 text-quiet">
      {count > 0 && (
        <>
          Today <b className="figure text-ink">{count}</b> {count === 1 ? 'cell differs' : 'cells differ'}: a copy is
          not there yet, has failed or is overdue.{' '}
        </>
      )}
      {waiting.slice(0, 3).map((c) => (
        <span key={c.dataset}>
          {names.get(c.dataset)} is covered from <span className="figure">{c.covers_from}</span>: {c.why}.{' '}
        </span>
      ))}
      {[...open].map(([why, datasets]) => (
        <span key={why}>
          {datasets.slice(0, 3).join(', ')}
          {datasets.length > 3 && ` and ${datasets.length - 3} more`}: {why}.{' '}
        </span>
      ))}
      {waiting.length > 3 && `${waiting.length - 3} more datasets wait for their first copy.`}
    </p>
  );
}

/** What counts as found: points that were seen, and what nobody looked at as not there. */
function AsFound({ count }: { count: number }) {
  const { plan } = usePlan();
  const { data } = useFound();
  const seen = data?.ages.filter((a) => a.seen_at) ?? [];
  const name = (id: string) => plan.hosts.find((h) => h.id === id)?.name ?? id;
  const never = data?.ages.filter((a) => !a.seen_at) ?? [];
  return (
    <p className="mb-1 text-quiet">
      By the points that really exist <b className="figure text-ink">{count}</b>{' '}
      {count === 1 ? 'cell is other' : 'cells are other'} than planned. Looked at:{' '}
      {seen.map((a) => `${name(a.host)} ${a.seen_at?.slice(0, 10) ?? ''}`).join(', ')}.
      {never.length > 0 &&
        ` What lies on ${never.map((a) => name(a.host)).join(', ')} nobody saw: it counts as not there.`}
    </p>
  );
}

const NONE: ReadonlySet<string> = new Set();
const sameCell = (a: Schemas['Cell'], b: Schemas['Cell']) => a.dataset === b.dataset && a.hazard === b.hazard;

export function CellsView() {
  const { evaluation } = usePlan();
  const worst = evaluation.proof.find((c) => c.fate === 'restored') ?? evaluation.proof[0];
  const [chosen, setChosen] = useState<string | null>(worst ? `${worst.dataset}/${worst.hazard}` : null);
  const days = (id: string) => evaluation.assumptions.find((a) => a.id === id)?.value ?? 0;
  const late: Record<string, string> = {
    deleted: `deleted, seen after ${days('deleted_notice_days')} d`,
    malware: `malware, seen after ${days('malware_notice_days')} d`,
    offsite_silent: `off-site silent ${days('silence_days')} d`,
    uplink_down: `uplink down ${days('uplink_days')} d`,
  };
  const [asOf, setAsOf] = useState<'settled' | 'today' | 'found'>('settled');
  const found = useFound();
  const narrow = useNarrow();
  const story = useRef<HTMLDivElement>(null);
  const other = { settled: [], today: evaluation.proof_today, found: found.data?.cells ?? [] }[asOf];
  const now = new Map(other.map((c) => [`${c.dataset}/${c.hazard}`, c]));
  // On a telephone the story stands below all datasets: it comes to whoever chose a cell.
  const choose = (key: string) => {
    setChosen(key);
    requestAnimationFrame(() => story.current?.scrollIntoView({ block: 'start' }));
  };
  const cells = evaluation.proof.map((c) => now.get(`${c.dataset}/${c.hazard}`) ?? c);
  const columns = evaluation.hazards.map((h) => ({ ...h, short: late[h.id] ?? h.short }));
  const cell = cells.find((c) => `${c.dataset}/${c.hazard}` === chosen);
  const hazard = columns.find((h) => h.id === cell?.hazard);
  return (
    <div>
      <div className="mb-1 flex flex-wrap items-baseline gap-3">
        <h2>What would be lost</h2>
        <Pick
          word=""
          label="As of"
          value={asOf}
          options={[
            { value: 'settled', label: 'once all runs' },
            { value: 'today', label: `as of today, ${evaluation.today}` },
            ...(found.data?.asked ? [{ value: 'found', label: 'as found on the machines' }] : []),
          ]}
          onPick={(v) => setAsOf(v as typeof asOf)}
        />
        <span className="text-quiet">
          − work lost at worst, ↩ time to be back · still: stands still, nothing lost · bare: runs on without a fresh
          copy · heavy frame: nothing comes back · double: signed
        </span>
      </div>
      {asOf === 'found' ? <AsFound count={other.length} /> : <Today />}
      {narrow ? (
        <CellList columns={columns} cells={cells} chosen={chosen} onChoose={choose} />
      ) : (
        <Cells
          columns={columns}
          cells={cells}
          chosen={chosen}
          marked={asOf === 'settled' ? NONE : new Set(now.keys())}
          onChoose={setChosen}
        />
      )}
      <div ref={story} />
      {cell && hazard && (
        <Story
          key={`${chosen ?? ''} ${asOf}`}
          cell={cell}
          title={hazard.title}
          question={hazard.question}
          today={asOf === 'today' && now.has(`${cell.dataset}/${cell.hazard}`)}
          planned={asOf === 'found' ? evaluation.proof.find((c) => c === cell || sameCell(c, cell)) : undefined}
        />
      )}
    </div>
  );
}
