import type { Items, Plan } from '../../api/client';
import type { Option } from '../../parts/form/fields';
import { decimal, text } from '../../text/format';

/** Disks that can be a pool's spares or its fast tier: those in its box that no pool has for its data. */
export function looseDisks(plan: Plan, pool: Items['pools']): Record<string, Option[]> {
  const taken = new Set(
    plan.pools.flatMap((p) => (p.id === pool.id ? p.groups.flat() : [...p.groups.flat(), ...p.spares, ...p.tier])),
  );
  const loose = plan.disks.filter((d) => d.host === pool.host && !taken.has(d.id));
  const options = (disks: Items['disks'][]) =>
    disks.map((d) => ({ value: d.id, label: `${d.label} ${text(decimal(d.capacity_bytes))}` }));
  return { spares: options(loose), tier: options(loose.filter((d) => d.kind !== 'hdd')) };
}
