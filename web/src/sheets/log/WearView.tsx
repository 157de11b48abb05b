/** Wear: each disk's readings over time, the most dangerous first, and what they make of its failure rate. */

import { useState } from 'react';
import type { Schemas } from '../../api/client';
import { useWear } from '../../api/looks';
import { useChange } from '../../api/plan';
import { Slip } from '../../parts/Slip';
import { WorkingTree } from '../../parts/WorkingTree';
import { percent } from '../../text/format';

type Wear = Schemas['Wear'];
const LEVELS: Record<Wear['level'], string> = {
  replace: 'replace',
  watch: 'watch',
  well: 'well',
  unknown: 'no reading',
};
const COUNTS = [
  ['reallocated', 'reallocated'],
  ['pending', 'pending'],
  ['uncorrectable', 'uncorrectable'],
  ['crc', 'cable errors'],
] as const;

export function WearView() {
  const { data, error } = useWear();
  const change = useChange();
  const [open, setOpen] = useState<Wear | null>(null);
  if (error) return <p role="alert">{error.message}</p>;
  if (!data) return <p data-waiting>Looking…</p>;
  const told = data.disks.filter((d) => d.level !== 'unknown');
  const silent = data.disks.filter((d) => d.level === 'unknown');
  return (
    <div>
      <h2>How the disks wear</h2>
      <p className="mb-2 text-quiet">
        Sectors count from the first one on; a pending replacement stands on top. The failure rate is the plan’s until
        you take over what the readings make of it.
      </p>
      {told.length === 0 && (
        <p className="max-w-[700px]">
          No disk has told anything yet. Install smartmontools on the boxes and keep a look as root: each look is one
          reading.
        </p>
      )}
      <div className="relative overflow-x-auto">
        <table className="w-full">
          {told.length > 0 && (
            <thead>
              <tr className="border-b border-ink">
                <th>Disk</th>
                <th>Verdict</th>
                {COUNTS.map(([k, title]) => (
                  <th key={k} className="text-right">
                    {title}
                  </th>
                ))}
                <th className="text-right">Ran</th>
                <th className="text-right">Heat</th>
                <th className="text-right">Written, worn</th>
                <th>Fails in a year</th>
              </tr>
            </thead>
          )}
          <tbody>
            {told.map((d) => {
              const last = d.readings.at(-1);
              return (
                <tr key={d.disk} className="border-b border-hair align-baseline">
                  <td className="whitespace-nowrap">
                    <b>{d.label}</b> <span className="unit figure whitespace-nowrap">{d.serial}</span>
                  </td>
                  <td>
                    <b className={d.level === 'replace' ? 'text-danger' : ''}>{LEVELS[d.level]}</b>{' '}
                    <span className="text-quiet">{d.why}</span>
                  </td>
                  {COUNTS.map(([k]) => (
                    <td key={k} className="text-right whitespace-nowrap">
                      <Line values={d.readings.map((r) => ({ at: r.seen_at, value: r[k] ?? null }))} />{' '}
                      <span className={`figure ${last?.[k] ? 'font-semibold' : ''}`}>{last?.[k] ?? '—'}</span>
                    </td>
                  ))}
                  <td className="figure text-right whitespace-nowrap">
                    {last?.hours != null ? `${last.hours} h` : '—'}
                  </td>
                  <td className="figure text-right whitespace-nowrap">
                    {last?.temperature != null ? `${last.temperature} °C` : '—'}
                  </td>
                  <td className="figure text-right whitespace-nowrap">
                    {[
                      last?.written_bytes != null ? `${(last.written_bytes / 1e12).toFixed(1)} TB` : '',
                      last?.wear_percent != null ? `${last.wear_percent} %` : '',
                    ]
                      .filter(Boolean)
                      .join(', ') || '—'}
                  </td>
                  <td className="whitespace-nowrap">
                    <button className="pick figure" onClick={() => setOpen(d)}>
                      {percent(d.rate ?? 0)}
                    </button>
                    {d.change && (
                      <>
                        {' '}
                        <span className="unit">planned {percent(d.planned_rate)}</span>{' '}
                        <button
                          data-for="plans"
                          className="act"
                          disabled={change.isPending}
                          onClick={() =>
                            d.change &&
                            change.mutate({
                              edit: {
                                do: 'take',
                                things: [{ collection: 'disks', item: d.change.item }],
                                said: 'its readings',
                              },
                            })
                          }
                        >
                          reckon with it
                        </button>
                      </>
                    )}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
      {silent.length > 0 && <p className="mt-2 text-quiet">No reading yet: {silent.map((d) => d.label).join(', ')}.</p>}
      {change.error && (
        <p role="alert" className="text-danger">
          {change.error.message}
        </p>
      )}
      {open && (
        <Slip title={`Working: failure rate of ${open.label}`} onClose={() => setOpen(null)} wide>
          <WorkingTree working={open.working} />
        </Slip>
      )}
    </div>
  );
}

const WIDE = 44;
const HIGH = 14;

/** A count over time, small: a flat line is a disk that stays as it is. */
function Line({ values }: { values: { at: number; value: number | null }[] }) {
  const told = values.filter((v): v is { at: number; value: number } => v.value !== null);
  const first = told[0];
  const last = told.at(-1);
  if (!first || !last || last.at === first.at) return null;
  const most = Math.max(1, ...told.map((v) => v.value));
  const points = told.map(
    (v) => `${((v.at - first.at) / (last.at - first.at)) * WIDE},${HIGH - 1 - (v.value / most) * (HIGH - 3)}`,
  );
  return (
    <svg width={WIDE} height={HIGH} className="inline-block align-baseline" aria-hidden="true">
      <polyline points={points.join(' ')} fill="none" stroke="var(--ink)" />
    </svg>
  );
}
