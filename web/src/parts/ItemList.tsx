/** A table of one collection with its editor: a name opens a row, a button adds one. */

import { useState, type ReactNode } from 'react';
import type { Collection, Items } from '../api/client';
import { useFormOf } from '../api/forms';
import { ItemForm } from './form/ItemForm';
import { Slip } from './Slip';

export function ItemList<C extends Collection>({
  title,
  what,
  collection,
  items,
  columns,
  empty,
  disabled = false,
}: {
  title: string;
  /** One of them, as in `new network`. */
  what: string;
  collection: C;
  items: Items[C][];
  /** The first column is the name that opens the row. */
  columns: { head: string; show: (item: Items[C]) => ReactNode; right?: boolean }[];
  empty: string;
  disabled?: boolean;
}) {
  const { fresh } = useFormOf(collection);
  const [editing, setEditing] = useState<{ item: Items[C]; isNew: boolean } | null>(null);
  const close = () => setEditing(null);
  return (
    <section aria-label={title} className="mb-4">
      <div className="flex items-baseline border-b border-ink">
        <h2>{title}</h2>
        <button
          data-for="plans"
          className="act mb-0.5 ml-auto"
          disabled={disabled}
          onClick={() => setEditing({ item: fresh(), isNew: true })}
        >
          new {what}
        </button>
      </div>
      {items.length === 0 ? (
        <p className="text-quiet">{empty}</p>
      ) : (
        <table className="w-full">
          <thead>
            <tr>
              {columns.map((c) => (
                <th key={c.head} className={c.right ? 'text-right' : ''}>
                  {c.head}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {items.map((item) => (
              <tr key={item.id} className="border-b border-hair align-baseline">
                {columns.map((c, n) => (
                  <td key={c.head} className={c.right ? 'figure text-right' : 'wrap-anywhere'}>
                    {n === 0 ? (
                      <button className="pick font-semibold" onClick={() => setEditing({ item, isNew: false })}>
                        {c.show(item)}
                      </button>
                    ) : (
                      c.show(item)
                    )}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {editing && (
        <Slip title={editing.isNew ? `New ${what}` : `${what.charAt(0).toUpperCase()}${what.slice(1)}`} onClose={close}>
          <ItemForm collection={collection} item={editing.item} isNew={editing.isNew} onDone={close} />
        </Slip>
      )}
    </section>
  );
}
