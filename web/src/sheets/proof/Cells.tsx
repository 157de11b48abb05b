/** The table of the proof: datasets down, hazards across, each cell its fate and two figures in words. */

import type { Schemas } from '../../api/client';
import { usePlan } from '../../api/plan';
import { useGrid } from '../../parts/useGrid';
import { size, span, words } from '../../text/format';

export type Cell = Schemas['Cell'];

export const FATES: Record<Cell['fate'], string> = {
  runs_on: 'runs on',
  down: 'stands still, nothing lost',
  exposed: 'no fresh copy',
  restored: 'comes back',
  lost: 'lost',
  fetch_again: 'fetch again',
};

export interface Column {
  id: string;
  short: string;
  title: string;
  question: string;
}

/** Short forms that fit a narrow cell; the story below says it whole. */
const close = (seconds: number) => span(seconds).replace(' ', '\u2009');

/** In which share of the moments it is so, never rounded to nothing or to all. */
export const often = (share: number): string =>
  share < 0.01 ? '< 1\u2009%' : `in ${Math.min(Math.round(share * 100), 99)}\u2009%`;

export function said(cell: Cell): [string, string] {
  const old = cell.rpo_seconds == null ? '' : close(cell.rpo_seconds);
  const back = cell.rto_seconds == null ? '' : close(cell.rto_seconds);
  switch (cell.fate) {
    case 'runs_on':
      return ['—', ''];
    case 'down':
      return ['still', back];
    case 'exposed':
      return ['bare', old];
    case 'restored':
      return [`−${old}`, `↩ ${back}`];
    case 'lost':
      return [cell.signed === 'yes' ? 'signed' : 'LOST', cell.never_share < 1 ? often(cell.never_share) : ''];
    case 'fetch_again':
      return ['fetch', ''];
  }
}

/** The same for those who listen; what is seen comes first where it is no part of the words. */
function aloud(cell: Cell): string {
  const [first, second] = said(cell);
  const seen = cell.rpo_seconds == null || cell.fate === 'runs_on' ? '' : `${first} ${second}`.trim() + ', ';
  const lost = cell.rpo_seconds == null ? '' : `, ${span(cell.rpo_seconds)} of work lost`;
  const back = cell.rto_seconds == null ? '' : `, back in ${span(cell.rto_seconds)}`;
  const signed = { no: '', yes: ', signed', changed: ', signed, but changed since' }[cell.signed];
  if (cell.fate === 'restored') return `${seen}${FATES.restored}${lost}${back}${signed}`;
  const share = cell.fate === 'lost' && cell.never_share < 1 ? ` ${often(cell.never_share)} of the moments` : '';
  return `${seen}${FATES[cell.fate]}${share}${cell.fate === 'down' ? back : ''}${signed}`;
}

export function Cells({
  columns,
  cells,
  chosen,
  marked,
  onChoose,
}: {
  columns: Column[];
  cells: Cell[];
  chosen: string | null;
  /** Cells that are otherwise than planned, by dataset and hazard. */
  marked?: ReadonlySet<string>;
  onChoose: (key: string) => void;
}) {
  const { plan } = usePlan();
  const grid = useGrid<HTMLTableElement>();
  const found = new Map(cells.map((c) => [`${c.dataset}/${c.hazard}`, c]));
  return (
    <div className="relative max-h-[max(250px,calc(100vh-505px))] overflow-auto border-b border-line">
      <table
        className="w-full min-w-[1000px] table-fixed border-separate border-spacing-x-1 border-spacing-y-[3px]"
        {...grid}
      >
        <thead className="sticky top-0 z-10 bg-paper">
          <tr>
            <th className="w-[158px]" />
            {columns.map((c) => (
              <th
                key={c.id}
                scope="col"
                className="px-1 pb-1 text-left align-bottom text-[12px] leading-[14px] font-semibold text-ink"
                title={`${c.title}: ${c.question}`}
              >
                {c.short}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {plan.datasets.map((d, row) => (
            <tr key={d.id}>
              <th scope="row" className="pr-1 text-ink">
                <span className="block max-w-[155px] truncate font-semibold" title={d.name}>
                  {d.name}
                </span>
                <span className="unit font-normal">
                  {size(d.size_bytes)}, {words(d.worth)}
                </span>
              </th>
              {columns.map((c, column) => {
                const key = `${d.id}/${c.id}`;
                const cell = found.get(key);
                return (
                  <td key={c.id} className="p-0">
                    {cell && (
                      <CellButton
                        cell={cell}
                        label={`${d.name}, ${c.title}`}
                        place={`${row},${column}`}
                        chosen={chosen === key}
                        differs={marked?.has(key) ?? false}
                        onChoose={() => onChoose(key)}
                      />
                    )}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function CellButton({
  cell,
  label,
  place,
  chosen,
  differs,
  onChoose,
}: {
  cell: Cell;
  label: string;
  place: string;
  chosen: boolean;
  differs: boolean;
  onChoose: () => void;
}) {
  const frame = {
    runs_on: 'border-transparent text-quiet',
    down: 'border-dotted border-ink',
    exposed: 'border-dashed border-ink',
    restored: 'border-ink',
    lost:
      cell.signed === 'yes'
        ? 'border-double border-4 border-ink'
        : 'border-2 border-danger bg-blush font-semibold text-danger',
    fetch_again: 'border-line text-quiet',
  }[cell.fate];
  const [first, second] = said(cell);
  return (
    <button
      data-cell={place}
      aria-pressed={chosen}
      aria-label={`${label}: ${aloud(cell)}${differs ? ', otherwise than planned' : ''}`}
      onClick={onChoose}
      onFocus={onChoose}
      className={`h-[37px] w-full border px-1 text-left text-[12px] leading-[15px] whitespace-nowrap ${frame} ${chosen ? 'outline-2 outline-offset-1 outline-accent' : ''}`}
    >
      <span className={`block ${cell.fate === 'restored' ? 'figure font-semibold' : ''}`}>
        {first}
        {differs && (
          <span className="ml-0.5 text-accent" title="otherwise than planned" aria-hidden="true">
            ≠
          </span>
        )}
        {cell.signed === 'changed' && (
          <span className="text-danger" aria-hidden="true">
            !
          </span>
        )}
      </span>{' '}
      {second && <span className="figure block font-normal">{second}</span>}
    </button>
  );
}
