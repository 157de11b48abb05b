/** What of an offer is taken: a thing goes where all goes that it stands on. */

import type { Schemas } from '../../api/client';

export type Thing = Schemas['Taken'];

/** The things that are taken when those of `off` are left out, with all that stands on them. */
export function chosenOf(things: Thing[], off: ReadonlySet<string>): Thing[] {
  const out = new Set(off);
  // Each stands behind what it needs: one pass is enough.
  return things.filter((t) => {
    if (out.has(t.key) || t.needs.some((n) => out.has(n))) {
      out.add(t.key);
      return false;
    }
    return true;
  });
}

export interface DrawnDisk {
  key: string;
  label: string;
  bytes: number;
  bay: string;
  isNew: boolean;
  pool: boolean;
}

/** Disks of an offer as they are drawn. */
export function disksOf(things: Thing[]): DrawnDisk[] {
  const pooled = new Set(
    things
      .filter((t) => t.collection === 'pools')
      .flatMap((t) => [...(t.item.groups as string[][]).flat(), ...(t.item.spares as string[])]),
  );
  return things
    .filter((t) => t.collection === 'disks')
    .map((t) => ({
      key: t.key,
      label: String(t.item.label),
      bytes: Number(t.item.capacity_bytes),
      bay: typeof t.item.bay === 'string' ? t.item.bay : 'shelf',
      isNew: t.what === 'new',
      pool: pooled.has(String(t.item.id)),
    }));
}
