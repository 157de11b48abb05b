import { useState } from 'react';
import type { Items } from '../../api/client';
import { usePlan } from '../../api/plan';
import { Differs } from '../../parts/Differs';
import { useFresh } from '../../api/forms';
import { ItemForm } from '../../parts/form/ItemForm';
import { ItemTable } from '../../parts/form/ItemTable';
import { Slip } from '../../parts/Slip';
import { size, words } from '../../text/format';

const COLUMNS = [
  ...(['name', 'pool', 'size_bytes', 'growth_bytes_per_year', 'change_bytes_per_day'] as const),
  ...(['worth', 'quota_bytes'] as const),
];

/** The datasets of a pool, or of all pools, each opened for editing by its name. */
export function DatasetTable({ pool }: { pool?: string | undefined }) {
  const { plan } = usePlan();
  const fresh = useFresh();
  const [editing, setEditing] = useState<{ item: Items['datasets']; isNew: boolean } | null>(null);
  const [tabled, setTabled] = useState(false);
  const pools = new Map(plan.pools.map((p) => [p.id, p.name]));
  const rows = plan.datasets.filter((d) => pool === undefined || d.pool === pool);
  return (
    <section aria-label="Datasets" className="mt-3">
      <div className="flex items-baseline gap-3">
        <h2>Datasets</h2>
        <button data-for="plans" className="act ml-auto" disabled={!plan.pools.length} onClick={() => setTabled(true)}>
          all as a table
        </button>
        <button
          data-for="plans"
          className="act"
          disabled={!plan.pools.length}
          onClick={() => setEditing({ item: pool ? { ...fresh('datasets'), pool } : fresh('datasets'), isNew: true })}
        >
          new dataset
        </button>
      </div>
      {rows.length === 0 ? (
        <p className="text-quiet">
          {plan.pools.length
            ? 'No data here yet: say what will live on the pool, how large it is and what losing it would cost.'
            : 'Data lives on pools: make one first.'}
        </p>
      ) : (
        <table className="w-full">
          <thead>
            <tr className="border-b border-ink">
              <th>Dataset</th>
              {pool === undefined && <th>Pool</th>}
              <th className="text-right">Size</th>
              <th className="text-right">Growth a year</th>
              <th className="text-right">Change a day</th>
              <th className="pl-5">Worth</th>
              <th>Notes</th>
            </tr>
          </thead>
          <tbody>
            {rows.map((d) => (
              <tr key={d.id} className="border-b border-hair">
                <td>
                  <button
                    className="text-left font-semibold wrap-anywhere pick"
                    onClick={() => setEditing({ item: d, isNew: false })}
                  >
                    {d.name}
                  </button>
                  <Differs about={d.id} />
                </td>
                {pool === undefined && <td>{pools.get(d.pool)}</td>}
                <td className="figure text-right">{size(d.size_bytes)}</td>
                <td className="figure text-right">{size(d.growth_bytes_per_year)}</td>
                <td className="figure text-right">{size(d.change_bytes_per_day)}</td>
                <td className="pl-5">{words(d.worth)}</td>
                <td className="text-quiet">
                  {[d.compressible && 'compresses', d.throw_away && 'throw-away', d.live_database && 'live database']
                    .filter(Boolean)
                    .join(', ')}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {tabled && (
        <ItemTable
          title="Datasets as a table"
          collection="datasets"
          columns={COLUMNS}
          onClose={() => setTabled(false)}
        />
      )}
      {editing && (
        <Slip title={editing.isNew ? 'New dataset' : 'Dataset'} onClose={() => setEditing(null)}>
          <ItemForm collection="datasets" item={editing.item} isNew={editing.isNew} onDone={() => setEditing(null)} />
        </Slip>
      )}
    </section>
  );
}
