import type { Items, Plan } from '../../api/client';
import type { FieldSpec } from '../../parts/ItemForm';
import { decimal, text } from '../../text/format';
import { options } from '../bench/fields';

export function poolFields(plan: Plan, pool: Items['pools']): FieldSpec[] {
  const taken = new Set(
    plan.pools.flatMap((p) => (p.id === pool.id ? p.groups.flat() : [...p.groups.flat(), ...p.spares])),
  );
  const spares = plan.disks.filter((d) => d.host === pool.host && !taken.has(d.id));
  return [
    { name: 'name', label: 'Name', kind: 'text' },
    {
      name: 'record_kib',
      label: 'Record size',
      kind: 'whole',
      unit: 'KiB',
      help: '4 to 1024, a power of two; small ones waste room on RAIDZ',
    },
    { name: 'ashift', label: 'Sector shift', kind: 'whole', help: '12 for 4 KiB sectors (ashift)' },
    { name: 'encrypted', label: 'Encrypted at rest', kind: 'check' },
    {
      name: 'spares',
      label: 'Hot spares',
      kind: 'several',
      options: spares.map((d) => ({
        value: d.id,
        label: `${d.label} ${text(decimal(d.capacity_bytes))}`,
      })),
    },
  ];
}

export const datasetFields = (plan: Plan): FieldSpec[] => [
  { name: 'name', label: 'Name', kind: 'text' },
  {
    name: 'pool',
    label: 'Pool',
    kind: 'select',
    options: plan.pools.map((p) => ({ value: p.id, label: p.name })),
  },
  { name: 'size_bytes', label: 'Size', kind: 'size', help: 'as 1.4 TB or 300 GB' },
  { name: 'growth_bytes_per_year', label: 'Growth', kind: 'size', unit: 'a year' },
  {
    name: 'change_bytes_per_day',
    label: 'Change',
    kind: 'size',
    unit: 'a day',
    help: 'rewritten or added',
  },
  {
    name: 'worth',
    label: 'Worth',
    kind: 'select',
    options: options({
      irreplaceable: 'irreplaceable',
      nuisance: 'a nuisance to rebuild',
      fetch_again: 'can be fetched again',
    }),
  },
  { name: 'compressible', label: 'Compresses', kind: 'check' },
  {
    name: 'throw_away',
    label: 'Throw-away',
    kind: 'check',
    help: 'caches, a rolling day of clips: in no backup',
  },
  { name: 'live_database', label: 'Live database', kind: 'check' },
];

export const newDataset = (plan: Plan, pool?: string): Items['datasets'] => ({
  id: '',
  name: '',
  pool: pool ?? plan.pools[0]?.id ?? '',
  size_bytes: 0,
  growth_bytes_per_year: 0,
  change_bytes_per_day: 0,
  worth: 'nuisance',
  compressible: false,
  throw_away: false,
  live_database: false,
});
