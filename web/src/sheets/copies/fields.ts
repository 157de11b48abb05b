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

/** Who could delete a copy, in a word. */
export const HOLDERS = {
  source: 'the source',
  target: 'the far box',
  everyday: 'everyday account',
  hand: 'a hand only',
};

const KIND_NAMES = {
  snapshot: 'snapshot on the pool',
  replication: 'replication to another pool',
  backup: 'versioned backup',
  folder_mirror: 'folder mirror with a trash can',
  mirror: 'plain mirror, no versions',
  image: 'images of VMs and containers',
  dump: 'database dump, then backup',
  bucket: 'sync to a bucket',
  sync: 'continuous sync to another box',
  drive: 'cloud drive',
  shelf: 'shelf copy by hand',
  config: 'configuration of a box',
  bin: 'emptying of recycle bins',
  scrub: 'scrub or parity check',
  smart_short: 'SMART short test',
  smart_long: 'SMART long test',
  mover: 'mover of a fast tier',
  updates: 'looking for updates',
  restart: 'restart of a box',
  restore_test: 'restore test',
} as const;
type Kind = keyof typeof KIND_NAMES;

/** What each kind writes to, and what it works on: the fields that it needs. */
const TARGET: Partial<Record<Kind, 'pool' | 'disk' | 'bucket'>> = {
  replication: 'pool',
  backup: 'pool',
  folder_mirror: 'pool',
  mirror: 'pool',
  image: 'pool',
  dump: 'pool',
  config: 'pool',
  bucket: 'bucket',
  sync: 'pool',
  drive: 'bucket',
  shelf: 'disk',
};
const ON_POOL: Kind[] = ['scrub', 'smart_short', 'smart_long', 'mover'];
const ON_HOST: Kind[] = ['config', 'updates', 'restart'];
const CHORES: Kind[] = [...ON_POOL, ...ON_HOST, 'bin', 'restore_test'];
/** Kinds that go file by file, and so can leave some out. */
const BY_FILE: Kind[] = ['backup', 'folder_mirror', 'mirror', 'bucket', 'sync', 'drive', 'shelf'];
/** Kinds that keep what they replace or delete in a trash can, and no versions. */
const WITH_TRASH: Kind[] = ['folder_mirror', 'sync', 'drive'];
/** Kinds that can be told of changes, and so may run all the time. */
const ALWAYS: Kind[] = ['sync', 'drive'];
const ARCHIVES: Kind[] = ['image', 'dump'];
const BY_HAND: Kind[] = ['shelf', 'restore_test'];
const kindOf = (d: Draft) => d.kind as Kind;
const isCopy = (d: Draft) => !CHORES.includes(kindOf(d));
const hasTrash = (d: Draft) => WITH_TRASH.includes(kindOf(d));
const versioned = (d: Draft) => isCopy(d) && !hasTrash(d) && !['mirror', 'shelf'].includes(kindOf(d));
const after = (d: Draft) => d['schedule.kind'] === 'after';
const PERIODS = { hour: 'hourly', day: 'daily', week: 'weekly', month: 'monthly', year: 'yearly' } as const;
type Window = Job['retention']['windows'][number];
const counted = (d: Draft) => versioned(d) && Object.values(PERIODS).some((p) => Number(d[`retention.${p}`]) > 0);

/** Windows of age as a line: hour 1, day 30, week 365. */
export const showWindows = (value: unknown): string =>
  ((value ?? []) as Window[])
    .map((w) => `${Object.entries(PERIODS).find(([, p]) => p === w.every)?.[0] ?? w.every} ${w.days}`)
    .join(', ');

/** What such a line says; throws what is wrong with it. */
export const readWindows = (text: string): Window[] =>
  text
    .split(',')
    .map((part) => part.trim())
    .filter(Boolean)
    .map((part) => {
      const [word = '', days = ''] = part.toLowerCase().split(/\s+/);
      const every = PERIODS[word as keyof typeof PERIODS] as Window['every'] | undefined;
      if (!every || !/^\d+$/.test(days))
        throw new Error('write an hour, day, week, month or year and how many days, as: hour 1, day 30, week 365');
      return { every, days: Number(days) };
    });

export const jobFields = (plan: Plan, job: Job): FieldSpec[] => [
  { name: 'name', label: 'Name', kind: 'text' },
  { name: 'kind', label: 'Kind', kind: 'select', options: options(KIND_NAMES) },
  {
    name: 'datasets',
    label: 'Datasets',
    kind: 'several',
    options: named(plan.datasets),
    hidden: (d) => ON_POOL.includes(kindOf(d)) || ON_HOST.includes(kindOf(d)) || d.kind === 'restore_test',
  },
  {
    name: 'pool',
    label: 'Pool',
    kind: 'select',
    optional: true,
    options: named(plan.pools),
    hidden: (d) => !ON_POOL.includes(kindOf(d)),
  },
  {
    name: 'host',
    label: 'Of the box',
    kind: 'select',
    optional: true,
    options: named(plan.hosts),
    hidden: (d) => !ON_HOST.includes(kindOf(d)),
  },
  {
    name: 'reads_from',
    label: job.kind === 'restore_test' ? 'Tries' : 'Reads from',
    kind: 'select',
    optional: true,
    options: plan.jobs
      .filter((j) => j.id !== job.id && !CHORES.includes(j.kind))
      .map((j) => ({ value: j.id, label: `the copy of ${j.name}` })),
    help: 'empty: the dataset itself',
    hidden: (d) => d.kind === 'snapshot' || (!isCopy(d) && d.kind !== 'restore_test'),
  },
  {
    name: 'target_pool',
    label: 'To pool',
    kind: 'select',
    optional: true,
    options: named(plan.pools),
    hidden: (d) => TARGET[kindOf(d)] !== 'pool',
  },
  {
    name: 'target_disk',
    label: 'To disk',
    kind: 'select',
    optional: true,
    options: plan.disks.map((d) => ({ value: d.id, label: d.label })),
    hidden: (d) => TARGET[kindOf(d)] !== 'disk',
  },
  {
    name: 'target_bucket',
    label: 'To bucket',
    kind: 'select',
    optional: true,
    options: named(plan.buckets),
    help: 'made under elsewhere',
    hidden: (d) => TARGET[kindOf(d)] !== 'bucket',
  },
  {
    name: 'lands_in',
    label: 'Lands in',
    kind: 'select',
    optional: true,
    options: plan.exports.map((e) => ({ value: e.id, label: `${e.name} (${e.protocol})` })),
    help: 'an export of the far box; none: by SSH, or its tool’s own way',
    hidden: (d) => TARGET[kindOf(d)] !== 'pool' || d.kind === 'config' || d.kind === 'replication',
  },
  {
    name: 'lands_as',
    label: 'as',
    kind: 'select',
    optional: true,
    options: plan.accounts.map((a) => ({ value: a.id, label: a.login })),
    hidden: (d) => TARGET[kindOf(d)] !== 'pool' || !d.lands_in,
  },
  {
    name: 'schedule.kind',
    label: 'When',
    kind: 'select',
    options: options({
      minutes: 'all the time',
      hourly: 'by the hour',
      daily: 'by the day',
      weekly: 'on weekdays',
      monthly: 'by the month',
      after: 'after another job',
    }),
  },
  {
    name: 'after',
    label: 'After',
    kind: 'select',
    optional: true,
    options: named(plan.jobs.filter((j) => j.id !== job.id)),
    hidden: (d) => !after(d),
  },
  {
    name: 'schedule.every',
    label: 'Every',
    kind: 'whole',
    help: 'minutes, hours, days, weeks or months; 3 months: a quarter',
    hidden: after,
  },
  {
    name: 'schedule.at',
    label: 'At',
    kind: 'time',
    help: `HH:MM in ${plan.zone}`,
    hidden: (d) => after(d) || d['schedule.kind'] === 'minutes',
  },
  {
    name: 'schedule.only_from',
    label: 'Only from',
    kind: 'time',
    optional: true,
    help: 'HH:MM, for night hours',
    hidden: notKind('hourly'),
  },
  { name: 'schedule.only_to', label: 'Only until', kind: 'time', optional: true, hidden: notKind('hourly') },
  {
    name: 'schedule.nth',
    label: 'Which weekday',
    kind: 'select',
    options: options({
      '0': 'by the day of the month',
      '1': 'the first',
      '2': 'the second',
      '3': 'the third',
      '4': 'the fourth',
      '5': 'the fifth',
      '-1': 'the last',
    }),
    hidden: notKind('monthly'),
  },
  {
    name: 'schedule.weekdays',
    label: 'Weekdays',
    kind: 'several',
    options: DAYS.map((label, n) => ({ value: String(n), label })),
    hidden: (d) => notKind('weekly')(d) && (notKind('monthly')(d) || d['schedule.nth'] === '0'),
  },
  {
    name: 'schedule.day',
    label: 'Day of month',
    kind: 'whole',
    help: '-1: the last',
    hidden: (d) => notKind('monthly')(d) || d['schedule.nth'] !== '0',
  },
  { name: 'schedule.zone', label: 'Time zone', kind: 'text', optional: true, help: 'empty: the plan’s', hidden: after },
  { name: 'schedule.start', label: 'Counted from', kind: 'date', optional: true, hidden: after },
  { name: 'schedule.until', label: 'Until', kind: 'date', optional: true, hidden: after },
  {
    name: 'window_from',
    label: 'May run from',
    kind: 'time',
    optional: true,
    help: 'HH:MM; empty: the quiet hours, when arranged',
  },
  { name: 'window_to', label: 'and must end by', kind: 'time', optional: true },
  {
    name: 'chunk_store',
    label: 'Chunks once',
    kind: 'check',
    help: 'the store keeps chunks that are alike once; else every archive takes the room of all of it',
    hidden: (d) => !ARCHIVES.includes(kindOf(d)),
  },
  {
    name: 'catch_up',
    label: 'Catch up',
    kind: 'check',
    help: 'a run that was missed while the box was off is made up for',
    hidden: (d) => after(d) || BY_HAND.includes(kindOf(d)),
  },
  { name: 'fixed', label: 'Start is fixed', kind: 'check', help: 'Arrange leaves it where it is', hidden: after },
  { name: 'retention.all_days', label: 'Keep all for', kind: 'whole', unit: 'days', hidden: (d) => !versioned(d) },
  {
    name: 'retention.last',
    label: 'Keep the last',
    kind: 'whole',
    unit: 'points',
    help: 'so many stay, however old they are',
    hidden: (d) => !versioned(d) && d.kind !== 'shelf',
  },
  { name: 'retention.hourly', label: 'and one each of', kind: 'whole', unit: 'hours', hidden: (d) => !versioned(d) },
  { name: 'retention.daily', label: '', kind: 'whole', unit: 'days', hidden: (d) => !versioned(d) },
  { name: 'retention.weekly', label: '', kind: 'whole', unit: 'weeks', hidden: (d) => !versioned(d) },
  { name: 'retention.monthly', label: '', kind: 'whole', unit: 'months', hidden: (d) => !versioned(d) },
  { name: 'retention.yearly', label: '', kind: 'whole', unit: 'years', hidden: (d) => !versioned(d) },
  {
    name: 'retention.counting',
    label: 'These count',
    kind: 'select',
    options: options({ beyond: 'beyond one another', each: 'each on its own' }),
    help: '7 + 2 + 1 + 1: eleven points beyond one another, as few as seven each on its own; as its tool prunes',
    hidden: (d) => !counted(d),
  },
  {
    name: 'retention.of_period',
    label: 'Of each keep',
    kind: 'select',
    options: options({ last: 'the last point', first: 'the first point' }),
    hidden: (d) => !counted(d) && !(versioned(d) && d['retention.windows'] !== ''),
  },
  {
    name: 'retention.windows',
    label: 'or by age',
    kind: 'text',
    show: showWindows,
    parse: readWindows,
    help: 'hour 1, day 30, week 365: one an hour for a day, one a day for 30, one a week until 365; alone',
    hidden: (d) => !versioned(d),
  },
  {
    name: 'retention.thin',
    label: 'or thinned to',
    kind: 'whole',
    unit: 'points',
    help: 'dense near, sparse far',
    hidden: (d) => !versioned(d),
  },
  {
    name: 'retention.trash_days',
    label: 'Trash can keeps',
    kind: 'whole',
    unit: 'days',
    hidden: (d) => !hasTrash(d),
  },
  {
    name: 'retention.hold_until',
    label: 'Hold all until',
    kind: 'date',
    optional: true,
    help: 'nothing is pruned before',
    hidden: (d) => !versioned(d),
  },
  {
    name: 'left_out',
    label: 'Leave out',
    kind: 'words',
    help: 'patterns of throw-away files, as .cache/ *.part',
    hidden: (d) => !BY_FILE.includes(kindOf(d)),
  },
  {
    name: 'left_out_share',
    label: 'which is',
    kind: 'number',
    unit: 'of its bytes',
    help: '0.1: a tenth of the data',
    hidden: (d) => !BY_FILE.includes(kindOf(d)),
  },
  {
    name: 'first_copy',
    label: 'First copy',
    kind: 'select',
    options: options({
      done: 'is there',
      side_by_side: 'side by side on the LAN',
      carried: 'on a carried disk',
      over_link: 'over the link',
    }),
    hidden: (d) => !isCopy(d) || d.kind === 'snapshot',
  },
  {
    name: 'first_on',
    label: 'Begins on',
    kind: 'date',
    optional: true,
    hidden: (d) => !isCopy(d) || d.kind === 'snapshot' || d.first_copy === 'done',
  },
  {
    name: 'encrypted',
    label: 'Encrypted at source',
    kind: 'check',
    hidden: (d) => !isCopy(d) || d.kind === 'snapshot',
  },
  {
    name: 'key_kept_at',
    label: 'Key kept at',
    kind: 'several',
    options: named(plan.sites),
    hidden: (d) => !isCopy(d) || d.encrypted !== true,
    help: 'none: only in the box itself',
  },
  {
    name: 'wire_encrypted',
    label: 'Way encrypted',
    kind: 'check',
    help: 'by SSH or TLS of its own; inside a tunnel that is once too often',
    hidden: (d) => !isCopy(d) || d.kind === 'snapshot' || d.kind === 'shelf',
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
    hidden: (d) => !isCopy(d),
  },
  {
    name: 'limit_mbit',
    label: 'Limit',
    kind: 'number',
    optional: true,
    unit: 'Mbit/s',
    hidden: (d) => !isCopy(d) || d.kind === 'snapshot' || d.kind === 'shelf',
  },
  {
    name: 'resumable',
    label: 'Goes on after a cut',
    kind: 'check',
    hidden: (d) => !isCopy(d) || d.kind === 'snapshot',
  },
  {
    name: 'alarm_days',
    label: 'Alarm after',
    kind: 'number',
    optional: true,
    unit: 'days of silence',
    hidden: (d) => !isCopy(d),
  },
];

/** Clears what the chosen kind of job has no use for. */
export const shaped = (job: Job): Job => {
  const copy = !CHORES.includes(job.kind);
  const target = TARGET[job.kind];
  const onData = copy || job.kind === 'bin';
  const timed = job.schedule.kind !== 'after';
  return {
    ...job,
    datasets: onData ? job.datasets : [],
    pool: ON_POOL.includes(job.kind) ? job.pool : null,
    host: ON_HOST.includes(job.kind) ? job.host : null,
    lands_in: target === 'pool' ? job.lands_in : null,
    lands_as: target === 'pool' && job.lands_in ? job.lands_as : null,
    chunk_store: ARCHIVES.includes(job.kind) && job.chunk_store,
    catch_up: timed && !BY_HAND.includes(job.kind) && job.catch_up,
    reads_from: job.kind !== 'snapshot' && (copy || job.kind === 'restore_test') ? job.reads_from : null,
    after: timed ? null : job.after,
    target_pool: target === 'pool' ? job.target_pool : null,
    target_disk: target === 'disk' ? job.target_disk : null,
    target_bucket: target === 'bucket' ? job.target_bucket : null,
    key_kept_at: copy && job.encrypted ? job.key_kept_at : [],
    first_copy: copy && job.kind !== 'snapshot' ? job.first_copy : 'done',
    left_out: BY_FILE.includes(job.kind) ? job.left_out : [],
    left_out_share: BY_FILE.includes(job.kind) ? job.left_out_share : 0,
    retention: kept(job),
    schedule: {
      ...job.schedule,
      kind: job.schedule.kind === 'minutes' && !ALWAYS.includes(job.kind) ? 'hourly' : job.schedule.kind,
      nth: job.schedule.kind === 'monthly' ? job.schedule.nth : 0,
    },
  };
};

const NONE: Job['retention'] = {
  counting: 'beyond',
  of_period: 'last',
  windows: [],
  all_days: 0,
  last: 0,
  hourly: 0,
  daily: 0,
  weekly: 0,
  monthly: 0,
  yearly: 0,
  thin: 0,
  trash_days: 0,
  hold_until: null,
};

function kept(job: Job): Job['retention'] {
  if (WITH_TRASH.includes(job.kind)) return { ...NONE, trash_days: job.retention.trash_days };
  if (job.kind === 'mirror') return NONE;
  if (job.kind === 'shelf') return { ...NONE, last: job.retention.last };
  if (CHORES.includes(job.kind)) return job.kind === 'config' ? { ...job.retention, trash_days: 0 } : NONE;
  return { ...job.retention, trash_days: 0 };
}

export const newJob = (plan: Plan): Job => ({
  id: '',
  name: '',
  kind: 'snapshot',
  datasets: plan.datasets[0] ? [plan.datasets[0].id] : [],
  pool: null,
  host: null,
  reads_from: null,
  after: null,
  target_pool: null,
  target_disk: null,
  target_bucket: null,
  schedule: {
    kind: 'daily',
    every: 1,
    at: '01:30',
    weekdays: [],
    day: 1,
    nth: 0,
    only_from: null,
    only_to: null,
    zone: null,
    start: null,
    until: null,
  },
  retention: { ...NONE, daily: 14, weekly: 8, monthly: 6 },
  encrypted: false,
  key_kept_at: [],
  credentials: 'source',
  limit_mbit: null,
  wire_encrypted: false,
  resumable: true,
  first_copy: 'done',
  left_out: [],
  left_out_share: 0,
  first_on: null,
  window_from: null,
  window_to: null,
  fixed: false,
  alarm_days: null,
  chunk_store: false,
  catch_up: false,
  lands_in: null,
  lands_as: null,
});

export const bucketFields = (plan: Plan): FieldSpec[] => [
  { name: 'name', label: 'Name', kind: 'text' },
  { name: 'site', label: 'At', kind: 'select', options: named(plan.sites), help: 'a site that is not your own' },
  { name: 'account', label: 'Account', kind: 'text', help: 'whom the provider knows: it can be closed' },
  {
    name: 'locked_days',
    label: 'Objects locked',
    kind: 'whole',
    unit: 'days',
    help: 'nobody can delete them for so long',
  },
  {
    name: 'locks_renewed',
    label: 'Locked anew',
    kind: 'check',
    help: 'each run locks anew what its points still need; else older objects can be deleted',
    hidden: (d) => Number(d.locked_days) <= 0,
  },
  { name: 'price_minor', label: 'Price', kind: 'money', unit: `${plan.currency} a TB and month` },
];

export const newBucket = (plan: Plan): Items['buckets'] => ({
  id: '',
  name: '',
  site: plan.sites.find((s) => !s.own)?.id ?? plan.sites[0]?.id ?? '',
  account: '',
  locked_days: 0,
  locks_renewed: false,
  price_minor: 0,
});

export const linkName = (plan: Plan, id: string): string => {
  const link = plan.links.find((l) => l.id === id);
  const site = (key: string | undefined) => plan.sites.find((s) => s.id === key)?.name ?? '';
  return link ? `${site(link.a)} – ${site(link.b)}` : id;
};

export const capFields = (plan: Plan): FieldSpec[] => [
  {
    name: 'link',
    label: 'Link',
    kind: 'select',
    options: plan.links.map((l) => ({ value: l.id, label: linkName(plan, l.id) })),
  },
  { name: 'from_at', label: 'From', kind: 'time', help: 'HH:MM, every day' },
  { name: 'to_at', label: 'To', kind: 'time' },
  { name: 'mbit', label: 'At most', kind: 'number', unit: 'Mbit/s' },
];

export const newCap = (plan: Plan): Items['caps'] => ({
  id: '',
  link: plan.links[0]?.id ?? '',
  from_at: '07:00',
  to_at: '23:00',
  mbit: 10,
});
