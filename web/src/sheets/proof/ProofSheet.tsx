/** Proof: datasets against hazards; each cell its fate, the work lost and the time to be back. */

import { useState } from 'react';
import type { Schemas } from '../../api/client';
import { usePlan } from '../../api/plan';
import { useGrid } from '../../parts/useGrid';
import { size, span, words } from '../../text/format';
import { Story } from './Story';

type Cell = Schemas['Cell'];

export const FATES: Record<Cell['fate'], string> = {
  runs_on: 'runs on',
  exposed: 'no fresh copy',
  restored: 'comes back',
  lost: 'lost',
  fetch_again: 'fetch again',
};

export function ProofSheet() {
  const { plan, evaluation } = usePlan();
  const grid = useGrid();
  const cells = new Map(evaluation.proof.map((c) => [`${c.dataset}/${c.hazard}`, c]));
  const worst = evaluation.proof.find((c) => c.fate === 'lost') ?? evaluation.proof.find((c) => c.fate === 'restored');
  const [chosen, setChosen] = useState<string | null>(worst ? `${worst.dataset}/${worst.hazard}` : null);
  const days = (id: string) => evaluation.assumptions.find((a) => a.id === id)?.value ?? 0;
  const titles: Record<string, string> = {
    deleted: `deleted, missed ${days('deleted_notice_days')} d later`,
    malware: `malware, seen after ${days('malware_notice_days')} d`,
    offsite_silent: `off-site silent ${days('silence_days')} d`,
  };
  if (!plan.datasets.length)
    return (
      <div className="max-w-[640px]">
        <h2>Nothing to prove yet</h2>
        <p>
          Here every dataset stands against every hazard: what is lost, how old the newest copy is, and how long until
          people work again. It is computed from disks, jobs, schedules and retention. Begin with a dataset on Pools.
        </p>
      </div>
    );
  const story = chosen ? cells.get(chosen) : undefined;
  return (
    <div>
      <div className="mb-1 flex flex-wrap items-baseline gap-3">
        <h2>What would be lost</h2>
        <span className="text-quiet">
          Each cell: work lost, then time to be back, at the worst moment of the coming year. Heavy frame: nothing comes
          back.
        </span>
      </div>
      <div className="overflow-x-auto">
        <table
          className="w-full min-w-[900px] table-fixed border-separate border-spacing-x-1.5 border-spacing-y-[3px]"
          onKeyDown={grid}
        >
          <thead>
            <tr>
              <th className="w-[170px]" />
              {evaluation.hazards.map((h) => (
                <th key={h.id} scope="col" className="pb-1 align-bottom font-semibold text-ink" title={h.question}>
                  {titles[h.id] ?? h.title}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {plan.datasets.map((d, row) => (
              <tr key={d.id}>
                <th scope="row" className="pr-2 text-ink">
                  <span className="block max-w-[170px] truncate font-semibold" title={d.name}>
                    {d.name}
                  </span>
                  <span className="unit font-normal">
                    {size(d.size_bytes)}, {words(d.worth)}
                  </span>
                </th>
                {evaluation.hazards.map((h, column) => {
                  const cell = cells.get(`${d.id}/${h.id}`);
                  return cell ? (
                    <td key={h.id} className="p-0">
                      <CellButton
                        cell={cell}
                        label={`${d.name}, ${h.title}`}
                        place={`${row},${column}`}
                        chosen={chosen === `${d.id}/${h.id}`}
                        onChoose={() => setChosen(`${d.id}/${h.id}`)}
                      />
                    </td>
                  ) : (
                    <td key={h.id} />
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {story && <Story cell={story} />}
    </div>
  );
}

function CellButton({
  cell,
  label,
  place,
  chosen,
  onChoose,
}: {
  cell: Cell;
  label: string;
  place: string;
  chosen: boolean;
  onChoose: () => void;
}) {
  const lost = cell.rpo_seconds === null ? '' : cell.rpo_seconds === 0 ? 'nothing lost' : `− ${span(cell.rpo_seconds)}`;
  const back = cell.rto_seconds === null ? '' : `back ${span(cell.rto_seconds)}`;
  const frame = {
    runs_on: 'border-transparent text-quiet',
    exposed: 'border-dashed border-ink',
    restored: 'border-ink',
    lost: 'border-2 border-danger bg-blush font-semibold text-danger',
    fetch_again: 'border-line text-quiet',
  }[cell.fate];
  const old = cell.rpo_seconds === null ? '' : `${span(cell.rpo_seconds)} old`;
  // What is seen, in words: first line and second.
  const [first, second] = {
    runs_on: ['runs on', ''],
    exposed: ['no fresh copy', old],
    restored: [lost, back],
    lost: ['lost', 'for good'],
    fetch_again: ['fetch again', ''],
  }[cell.fate];
  return (
    <button
      data-cell={place}
      aria-pressed={chosen}
      aria-label={`${label}: ${first} ${second}`}
      onClick={onChoose}
      onFocus={onChoose}
      className={`h-[39px] w-full border px-2 text-left leading-[17px] whitespace-nowrap ${frame} ${chosen ? 'outline-2 outline-offset-1 outline-accent' : ''}`}
    >
      <span className={`block ${cell.fate === 'restored' ? 'figure font-semibold' : ''}`}>
        {cell.fate === 'runs_on' && <span aria-hidden="true">— </span>}
        {first}
      </span>{' '}
      {second && <span className="figure block text-[12px] font-normal">{second}</span>}
    </button>
  );
}
