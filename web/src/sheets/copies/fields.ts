import type { Items, Plan } from '../../api/client';
import type { Draft, FieldSpec } from '../../parts/ItemForm';
import { options } from '../bench/fields';

type Job = Items['jobs'];
const named = (items: { id: string; name: string }[]) => items.map((x) => ({ value: x.id, label: x.name }));
const notKind =
  (...kinds: string[]) =>
  (d: Draft) =>
    !kinds.includes(d['schedule.kind'] as string);
const DAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'];

export const jobFields = (plan: Plan, job: Job): FieldSpec[] => [
  { name: 'name', label: 'Name', kind: 'text' },
  {
    name: 'kind',
    label: 'Kind',
    kind: 'select',
    options: options({
      snapshot: 'snapshot on the pool',
      replication: 'replication to another pool',
      backup: 'versioned backup',
      shelf: 'shelf copy by hand',
    }),
  },
  { name: 'datasets', label: 'Datasets', kind: 'several', options: named(plan.datasets) },
  {
    name: 'reads_from',
    label: 'Reads from',
    kind: 'select',
    optional: true,
    options: plan.jobs
      .filter((j) => j.id !== job.id && j.kind !== 'snapshot')
      .map((j) => ({ value: j.id, label: `the copy of ${j.name}` })),
    help: 'empty: the dataset itself',
    hidden: (d) => d.kind === 'snapshot',
  },
  {
    name: 'target_pool',
    label: 'To pool',
    kind: 'select',
    optional: true,
    options: named(plan.pools),
    hidden: (d) => d.kind === 'snapshot' || d.kind === 'shelf',
  },
  {
    name: 'target_disk',
    label: 'To disk',
    kind: 'select',
    optional: true,
    options: plan.disks.map((d) => ({ value: d.id, label: d.label })),
    hidden: (d) => d.kind !== 'shelf',
  },
  {
    name: 'schedule.kind',
    label: 'When',
    kind: 'select',
    options: options({
      hourly: 'by the hour',
      daily: 'by the day',
      weekly: 'on weekdays',
      monthly: 'by the month',
    }),
  },
  { name: 'schedule.every', label: 'Every', kind: 'whole', help: 'hours, days, weeks or months' },
  { name: 'schedule.at', label: 'At', kind: 'time', help: `HH:MM in ${plan.zone}` },
  {
    name: 'schedule.weekdays',
    label: 'Weekdays',
    kind: 'several',
    options: DAYS.map((label, n) => ({ value: String(n), label })),
    hidden: notKind('weekly'),
  },
  {
    name: 'schedule.day',
    label: 'Day of month',
    kind: 'whole',
    help: '-1: the last',
    hidden: notKind('monthly'),
  },
  { name: 'schedule.start', label: 'Counted from', kind: 'date', optional: true },
  { name: 'schedule.until', label: 'Until', kind: 'date', optional: true },
  { name: 'retention.all_days', label: 'Keep all for', kind: 'whole', unit: 'days' },
  { name: 'retention.last', label: 'Keep the last', kind: 'whole', unit: 'points' },
  { name: 'retention.hourly', label: 'and one each of', kind: 'whole', unit: 'hours' },
  { name: 'retention.daily', label: '', kind: 'whole', unit: 'days' },
  { name: 'retention.weekly', label: '', kind: 'whole', unit: 'weeks' },
  { name: 'retention.monthly', label: '', kind: 'whole', unit: 'months' },
  { name: 'retention.yearly', label: '', kind: 'whole', unit: 'years' },
  { name: 'encrypted', label: 'Encrypted at source', kind: 'check' },
  {
    name: 'key_kept_at',
    label: 'Key kept at',
    kind: 'several',
    options: named(plan.sites),
    hidden: (d) => d.encrypted !== true,
    help: 'none: only in the box itself',
  },
  {
    name: 'credentials',
    label: 'Who could delete it',
    kind: 'select',
    options: options({
      source: 'the source box (it pushes)',
      target: 'the far box alone (it pulls)',
      everyday: 'the everyday account',
      hand: 'only a hand on the disk',
    }),
  },
  {
    name: 'limit_mbit',
    label: 'Limit',
    kind: 'number',
    optional: true,
    unit: 'Mbit/s',
    hidden: (d) => d.kind === 'snapshot' || d.kind === 'shelf',
  },
];

/** Clears what the chosen kind of job has no use for. */
export const shaped = (job: Job): Job => ({
  ...job,
  reads_from: job.kind === 'snapshot' ? null : job.reads_from,
  target_pool: job.kind === 'replication' || job.kind === 'backup' ? job.target_pool : null,
  target_disk: job.kind === 'shelf' ? job.target_disk : null,
  key_kept_at: job.encrypted ? job.key_kept_at : [],
});

export const newJob = (plan: Plan): Job => ({
  id: '',
  name: '',
  kind: 'snapshot',
  datasets: plan.datasets[0] ? [plan.datasets[0].id] : [],
  reads_from: null,
  target_pool: null,
  target_disk: null,
  schedule: {
    kind: 'daily',
    every: 1,
    at: '01:30',
    weekdays: [],
    day: 1,
    start: null,
    until: null,
  },
  retention: { all_days: 0, last: 0, hourly: 0, daily: 14, weekly: 8, monthly: 6, yearly: 0 },
  encrypted: false,
  key_kept_at: [],
  credentials: 'source',
  limit_mbit: null,
});
