import { describe, expect, it } from 'vitest';
import type { Items, Plan, PlanState } from '../../api/client';
import generated from '../../api/generated/forms.json';
import { fresh, nextOf, offered, settled, shownIn, usual, type Draft, type Form } from './fields';
import { at, place, read, readWindows, showWindows, write, type Field, type Plain } from './values';

const FORMS = generated.forms as unknown as Form[];
const form = (collection: string): Form => {
  const found = FORMS.find((f) => f.collection === collection);
  if (!found) throw new Error(collection);
  return found;
};
const jobs = form('jobs');
const plan = {
  sites: [
    { id: 'home', name: 'home', own: true },
    { id: 'cloud', name: 'cloud', own: false },
  ],
  datasets: [{ id: 'letters', name: 'letters' }],
  pools: [{ id: 'main', name: 'main' }],
  jobs: [
    { id: 'near', name: 'near', kind: 'backup' },
    { id: 'scrub', name: 'scrub of main', kind: 'scrub' },
  ],
  hosts: [],
  disks: [],
  buckets: [],
} as unknown as Plan;
const state = {
  plan,
  evaluation: {
    kinds: [
      { id: 'backup', copies: true },
      { id: 'scrub', copies: false },
    ],
  },
} as unknown as PlanState;
const item = fresh(jobs, plan);
const draftOf = (of: Plain): Draft =>
  Object.fromEntries(jobs.fields.map((f) => [f.name, write(f, at(of, f.name), 'EUR')]));
const asks = (kind: string, more: Draft = {}) =>
  shownIn(jobs, { ...draftOf(item), kind, ...more }, item).map((f) => f.name);

describe('a job’s form, as the server describes it', () => {
  it('asks only for what the kind has a use for', () => {
    expect(asks('scrub')).toContain('pool');
    expect(asks('scrub')).not.toContain('datasets');
    expect(asks('scrub')).not.toContain('retention.daily');
    expect(asks('folder_mirror')).toContain('retention.trash_days');
    expect(asks('folder_mirror')).not.toContain('retention.monthly');
    expect(asks('bucket')).toContain('target_bucket');
    expect(asks('backup', { 'schedule.kind': 'after' })).toContain('after');
    expect(asks('backup', { 'schedule.kind': 'after' })).not.toContain('schedule.at');
    expect(asks('backup', { 'schedule.kind': 'monthly', 'schedule.nth': '-1' })).toContain('schedule.weekdays');
    expect(asks('restart')).toContain('host');
  });

  it('asks how rules count where there are some, and for windows of age as one line', () => {
    const none = { 'retention.daily': '0', 'retention.weekly': '0', 'retention.monthly': '0' };
    expect(asks('backup', { ...none, 'retention.daily': '7' })).toContain('retention.counting');
    expect(asks('backup', none)).not.toContain('retention.counting');
    expect(asks('backup', { ...none, 'retention.windows': 'day 30' })).toContain('retention.of_period');
    const line = 'hour 1, day 30, week 365';
    expect(showWindows(readWindows(line))).toBe(line);
    expect(readWindows(' ')).toEqual([]);
    expect(() => readWindows('fortnight 3')).toThrow('hour 1, day 30');
    expect(() => readWindows('day soon')).toThrow('how many days');
  });

  it('offers only what fits: copies to read from, and no start every few minutes where nothing tells of changes', () => {
    const field = (name: string) => {
      const found = jobs.fields.find((f) => f.name === name);
      if (!found) throw new Error(name);
      return found;
    };
    const values = (name: string, kind: string) =>
      offered(field(name), { ...draftOf(item), kind }, item, state).map((o) => o.value);
    expect(values('reads_from', 'replication')).toEqual(['near']);
    expect(values('schedule.kind', 'backup')).not.toContain('minutes');
    expect(values('schedule.kind', 'sync')).toContain('minutes');
  });

  it('clears what another choice has left without meaning, and nothing else', () => {
    const was: Plain = { ...item, kind: 'backup', target_pool: 'main', encrypted: true, key_kept_at: ['home'] };
    const to = (kind: string, from = was) => {
      const before = draftOf(from);
      const next = { ...from, kind };
      return settled(jobs, next, { ...before, kind }, before, from, false) as unknown as Items['jobs'];
    };
    expect(to('scrub')).toMatchObject({
      target_pool: null,
      key_kept_at: [],
      encrypted: false,
      retention: { daily: 0 },
    });
    expect(to('folder_mirror').retention).toMatchObject({ daily: 0, trash_days: 0 });
    expect(to('image')).toMatchObject({ target_pool: 'main', encrypted: true, retention: { daily: 14 } });
    const always = place({ ...was, kind: 'sync' }, 'schedule.kind', 'minutes');
    expect(to('backup', always).schedule.kind).toBe('hourly');
  });
});

describe('new things', () => {
  it('begin with what there is, and a bucket with a site of somebody else’s', () => {
    expect(fresh(form('buckets'), plan).site).toBe('cloud');
    expect(fresh(form('datasets'), plan)).toMatchObject({ pool: 'main', worth: 'nuisance', mode: '2770' });
    expect(fresh(form('hosts'), plan)).toMatchObject({
      site: 'home',
      bays_35: 4,
      default_passwords_changed: false,
    });
  });
});

describe('what is typed', () => {
  const field = (collection: string, name: string) => {
    const found = form(collection).fields.find((f) => f.name === name);
    if (!found) throw new Error(name);
    return found;
  };
  it('is read by its field: numbers within their bounds, choices that are numbers, days of the week', async () => {
    await expect(read(field('hosts', 'ram_gib'), '9999', 'EUR')).rejects.toThrow('from 0.25 to 4096');
    await expect(read(field('hosts', 'bays_35'), '2.5', 'EUR')).rejects.toThrow('whole number');
    expect(await read(field('pools', 'record_kib'), '64', 'EUR')).toBe(64);
    expect(await read(field('jobs', 'schedule.weekdays'), ['6', '0'], 'EUR')).toEqual([0, 6]);
    expect(await read(field('disks', 'watts'), ' ', 'EUR')).toBeNull();
    expect(await read(field('disks', 'price_minor'), '12.5', 'EUR')).toBe(1250);
    expect(await read(field('disks', 'price_minor'), '1200', 'JPY')).toBe(1200);
  });
});

describe('what is folded, and the same again', () => {
  const field = (label: string, unit = '', choices: Field['choices'] = []) =>
    ({ name: 'x', label, unit, choices }) as unknown as Field;

  it('says what stands in a field that is folded away', () => {
    expect(usual(field('Network port', 'Mbit/s'), '1000')).toBe('network port 1000 Mbit/s');
    expect(usual(field('Boots from', '', [{ value: 'ssd', label: 'SSD', when: [] }]), 'ssd')).toBe('boots from SSD');
    expect(usual(field('On a UPS'), false)).toBe('not on a UPS');
    expect(usual(field('Address'), '')).toBe('no address');
    expect(usual(field('Feeds'), [])).toBe('no feeds');
  });

  it('counts names and bays on, and leaves no serial behind', () => {
    expect(nextOf({ label: 'heron 9', bay: '3.5-4', serial: 'X1', kind: 'hdd' })).toEqual({
      label: 'heron 10',
      bay: '3.5-5',
      serial: '',
    });
    expect(nextOf({ name: 'letters' })).toEqual({ name: 'letters 2' });
  });
});

describe('a box’s form', () => {
  it('offers as what it boots from a disk of its own, and of no other box', () => {
    const boots = form('hosts').fields.find((f) => f.name === 'boot_disk');
    if (!boots) throw new Error('boot_disk');
    const disk = (id: string, host: string | null) => ({ id, label: id, host, capacity_bytes: 1e12 });
    const disks = [disk('a', 'nas'), disk('b', 'far'), disk('c', null)];
    const of = (id: string) =>
      offered(boots, {}, { id }, { ...state, plan: { ...plan, disks } as unknown as Plan }).map((o) => o.value);
    expect(of('nas')).toEqual(['a']);
    expect(of('new')).toEqual([]);
  });
});
