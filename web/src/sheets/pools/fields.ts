import type { Items, Plan } from '../../api/client';
import type { FieldSpec } from '../../parts/ItemForm';
import { decimal, text } from '../../text/format';
import { options } from '../bench/fields';

export function poolFields(plan: Plan, pool: Items['pools']): FieldSpec[] {
  const taken = new Set(
    plan.pools.flatMap((p) => (p.id === pool.id ? p.groups.flat() : [...p.groups.flat(), ...p.spares, ...p.tier])),
  );
  const loose = plan.disks.filter((d) => d.host === pool.host && !taken.has(d.id));
  const disks = (found: Items['disks'][]) =>
    found.map((d) => ({ value: d.id, label: `${d.label} ${text(decimal(d.capacity_bytes))}` }));
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
      name: 'compression_ratio',
      label: 'Compresses to',
      kind: 'number',
      unit: ': 1',
      help: '1 when unsure; films and photos do not compress',
    },
    {
      name: 'purpose',
      label: 'Made for',
      kind: 'select',
      options: options({ files: 'files', vms: 'virtual machines', footage: 'surveillance footage' }),
    },
    { name: 'standing', label: 'Stands already', kind: 'check', help: 'else it is wanted: see the shuffle' },
    {
      name: 'uuid',
      label: 'UUID',
      kind: 'text',
      optional: true,
      help: 'of its file system, from findmnt -no UUID: jobs refuse whatever else is mounted in its place',
      hidden: (d) => d.filesystem === 'zfs' || d.standing !== true,
    },
    { name: 'spares', label: 'Hot spares', kind: 'several', options: disks(loose) },
    {
      name: 'tier',
      label: 'Fast tier',
      kind: 'several',
      options: disks(loose.filter((d) => d.kind !== 'hdd')),
      help: 'new files land here first; until the mover ran they are only as safe as it is',
    },
    { name: 'tier_mirrored', label: 'Tier is a mirror', kind: 'check', hidden: (d) => !(d.tier as string[]).length },
    { name: 'mover_at', label: 'Mover runs at', kind: 'time', hidden: (d) => !(d.tier as string[]).length },
  ];
}

/** A pool's fields that a new one starts with. */
export const newPool = {
  spares: [],
  ashift: 12,
  record_kib: 128,
  encrypted: false,
  purpose: 'files',
  standing: true,
  compression_ratio: 1,
  tier: [],
  tier_mirrored: true,
  mover_at: '03:30',
} as const;

export const holdingFields = (plan: Plan): FieldSpec[] => [
  {
    name: 'disk',
    label: 'Disk',
    kind: 'select',
    options: plan.disks.map((d) => ({ value: d.id, label: `${d.label} ${text(decimal(d.capacity_bytes))}` })),
  },
  {
    name: 'dataset',
    label: 'Holds all of',
    kind: 'select',
    options: plan.datasets.map((d) => ({ value: d.id, label: d.name })),
  },
  { name: 'verified', label: 'Read back', kind: 'check', help: 'compared with its source; else it does not count' },
];

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
    help: 'rewritten in place',
  },
  { name: 'deleted_bytes_per_day', label: 'Deleted', kind: 'size', unit: 'a day', help: 'and as much added again' },
  {
    name: 'repeat_share',
    label: 'Of the change, again',
    kind: 'number',
    help: '0 to 1: the share that hits the same places every day, as in disk images',
  },
  { name: 'file_bytes', label: 'A file, on average', kind: 'size', help: 'small files take seeks, not bytes' },
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
  {
    name: 'use',
    label: 'Used for',
    kind: 'select',
    options: options({
      files: 'files',
      vm_disks: 'disks of virtual machines',
      isos: 'installation images',
      database: 'a database',
      cache: 'a cache',
    }),
  },
  {
    name: 'parent',
    label: 'Inside of',
    kind: 'select',
    optional: true,
    options: plan.datasets.map((d) => ({ value: d.id, label: d.name })),
  },
  { name: 'quota_bytes', label: 'Quota', kind: 'size', optional: true, help: 'with its children; empty: none' },
  { name: 'reserve_bytes', label: 'Reserved', kind: 'size', help: 'kept for it, whatever others fill' },
  {
    name: 'compression',
    label: 'Compression',
    kind: 'select',
    options: options({ lz4: 'lz4, costs next to nothing', zstd: 'zstd, smaller and slower', off: 'off' }),
  },
  { name: 'checksums', label: 'Checksums', kind: 'check' },
  { name: 'record_kib', label: 'Record size', kind: 'whole', unit: 'KiB', optional: true, help: 'empty: the pool’s' },
  {
    name: 'encrypted',
    label: 'Encrypted at rest',
    kind: 'check',
    help: 'a few per cent of speed; locked after each restart until its key is given',
  },
  {
    name: 'owner',
    label: 'Owner',
    kind: 'select',
    optional: true,
    options: plan.accounts.map((a) => ({ value: a.id, label: a.login })),
  },
  { name: 'mode', label: 'Mode', kind: 'text', help: '2770: owner and group work in it together' },
];

export const newDataset = (plan: Plan, pool?: string): Items['datasets'] => ({
  id: '',
  name: '',
  pool: pool ?? plan.pools[0]?.id ?? '',
  size_bytes: 0,
  growth_bytes_per_year: 0,
  change_bytes_per_day: 0,
  deleted_bytes_per_day: 0,
  repeat_share: 0,
  file_bytes: 4_000_000,
  worth: 'nuisance',
  compressible: false,
  throw_away: false,
  live_database: false,
  parent: null,
  use: 'files',
  quota_bytes: null,
  reserve_bytes: 0,
  compression: 'lz4',
  checksums: true,
  record_kib: null,
  encrypted: false,
  owner: null,
  mode: '2770',
});
