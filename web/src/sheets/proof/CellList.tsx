/** The proof on a telephone: each dataset with its cells, the worst first; a table would not fit. */

import { usePlan } from '../../api/plan';
import { size, words } from '../../text/format';
import { FATES, said, type Cell, type Column } from './Cells';

const WORST: Cell['fate'][] = ['lost', 'restored', 'exposed', 'down', 'fetch_again', 'runs_on'];
/** The worst of a dataset are seen at once, the rest when asked for. */
const SHOWN = 4;

function worse(a: Cell, b: Cell): number {
  const fate = WORST.indexOf(a.fate) - WORST.indexOf(b.fate);
  return fate || (b.rpo_seconds ?? 0) - (a.rpo_seconds ?? 0) || (b.rto_seconds ?? 0) - (a.rto_seconds ?? 0);
}

export function CellList({
  columns,
  cells,
  chosen,
  onChoose,
}: {
  columns: Column[];
  cells: Cell[];
  chosen: string | null;
  onChoose: (key: string) => void;
}) {
  const { plan } = usePlan();
  const titles = new Map(columns.map((c) => [c.id, c.short]));
  const line = (cell: Cell) => {
    const key = `${cell.dataset}/${cell.hazard}`;
    const [first, second] = said(cell);
    const bad = cell.fate === 'lost' && cell.signed !== 'yes';
    return (
      <li key={key}>
        <button
          aria-pressed={chosen === key}
          onClick={() => onChoose(key)}
          className={`flex min-h-[44px] w-full items-center gap-3 border-b border-hair text-left ${chosen === key ? 'bg-picked' : ''}`}
        >
          <span className="min-w-0 flex-1 wrap-anywhere">{titles.get(cell.hazard)}</span>
          <span className={bad ? 'font-semibold text-danger' : ''}>
            {cell.fate === 'runs_on' ? FATES.runs_on : <span className="figure">{first}</span>}{' '}
            {second && <span className="figure">{second}</span>}
          </span>
        </button>
      </li>
    );
  };
  return (
    <div>
      {plan.datasets.map((d) => {
        const mine = cells.filter((c) => c.dataset === d.id).sort(worse);
        const lost = mine.filter((c) => c.fate === 'lost' && c.signed !== 'yes').length;
        return (
          <section key={d.id} aria-label={d.name} className="mb-3">
            <h3 className="flex flex-wrap items-baseline gap-x-2 border-b border-ink">
              <span className="min-w-0 wrap-anywhere">{d.name}</span>
              <span className="unit font-normal">
                {size(d.size_bytes)}, {words(d.worth)}
              </span>
              {lost > 0 && <span className="ml-auto text-danger">{lost} lost</span>}
            </h3>
            <ul>{mine.slice(0, SHOWN).map(line)}</ul>
            {mine.length > SHOWN && (
              <details>
                <summary className="flex min-h-[44px] cursor-pointer items-center text-quiet">
                  {mine.length - SHOWN} more hazards
                </summary>
                <ul>{mine.slice(SHOWN).map(line)}</ul>
              </details>
            )}
          </section>
        );
      })}
    </div>
  );
}
