/** The Log: what is due and done, what was found on machines, how disks wear. Works on a phone at the rack. */

import { useState } from 'react';
import { useSearchParams } from 'react-router';
import type { Items, Plan, Schemas } from '../../api/client';
import { useFound } from '../../api/looks';
import { usePlan } from '../../api/plan';
import { useFormOf } from '../../api/forms';
import type { Option } from '../../parts/form/fields';
import { ItemForm } from '../../parts/form/ItemForm';
import { Slip } from '../../parts/Slip';
import { useKeys } from '../../parts/useKeys';
import { Views } from '../../parts/Views';
import { words } from '../../text/format';
import { DriftView } from './DriftView';
import { DrillsView } from './DrillsView';
import { MessagesView } from './MessagesView';
import { PointsView } from './PointsView';
import { VIEWS, type View } from './views';
import { WearView } from './WearView';

type Entry = Items['log'];

const COLLECTION = {
  disk: 'disks',
  pool: 'pools',
  dataset: 'datasets',
  job: 'jobs',
  host: 'hosts',
  account: 'accounts',
  site: 'sites',
} as const;

function nameOf(plan: Plan, kind: Entry['about_kind'], id: string): string {
  const found = (plan[COLLECTION[kind]] as { id: string; name?: string; label?: string; login?: string }[]).find(
    (x) => x.id === id,
  );
  return found ? (found.name ?? found.label ?? found.login ?? id) : `${id} (gone)`;
}

/** What an entry can be about, as one list, so that a person at the rack picks once. */
const abouts = (plan: Plan): Option[] =>
  (Object.keys(COLLECTION) as Entry['about_kind'][]).flatMap((kind) =>
    plan[COLLECTION[kind]].map((x) => ({
      value: `${kind}/${x.id}`,
      label: `${kind} ${nameOf(plan, kind, x.id)}`,
    })),
  );

/** The form speaks of `kind/id`; the plan keeps the two apart. */
const joined = (entry: Entry): Entry => ({
  ...entry,
  about: entry.about ? `${entry.about_kind}/${entry.about}` : '',
});
const apart = (entry: Entry): Entry => {
  const [kind, ...id] = entry.about.split('/');
  return id.length ? { ...entry, about_kind: kind as Entry['about_kind'], about: id.join('/') } : entry;
};

export function LogSheet() {
  const [search] = useSearchParams();
  const [view, setView] = useState<View>(VIEWS.find((v) => v.id === search.get('view'))?.id ?? 'done');
  return (
    <Views
      views={VIEWS}
      view={view}
      onView={setView}
      panels={{
        done: <DoneView />,
        drift: <DriftView />,
        points: <PointsView />,
        wear: <WearView />,
        drills: <DrillsView />,
        messages: <MessagesView />,
      }}
    />
  );
}

function DoneView() {
  const { plan, evaluation } = usePlan();
  const { form } = useFormOf('log');
  const picked = {
    ...form,
    fields: form.fields.map((f) => (f.name === 'about' ? { ...f, kind: 'select' as const } : f)),
  };
  const [editing, setEditing] = useState<{ item: Entry; isNew: boolean } | null>(null);
  const start = (due?: Schemas['Due'], on?: string) =>
    setEditing({
      isNew: true,
      item: {
        id: '',
        on: on ?? evaluation.today,
        kind: due?.kind ?? 'disk_check',
        about_kind: due?.about_kind ?? 'disk',
        about: due?.about ?? '',
        result: 'ok',
        who: '',
        minutes: null,
        note: '',
      },
    });
  useKeys({ n: () => start() });
  const entries = [...plan.log].sort((a, b) => b.on.localeCompare(a.on) || b.id.localeCompare(a.id));
  const late = evaluation.due.filter((d) => d.overdue_days >= 0);
  const soon = evaluation.due.filter((d) => d.overdue_days < 0);
  return (
    <div className="grid gap-x-8 gap-y-4 lg:grid-cols-[minmax(0,1fr)_minmax(0,1.2fr)]">
      <section aria-label="Due">
        <h2 className="border-b border-ink">Due now</h2>
        {late.length === 0 && <p className="text-quiet">Nothing is due.</p>}
        <DueList items={late} onDone={start} />
        {soon.length > 0 && <h2 className="mt-3 border-b border-ink">Next</h2>}
        <DueList items={soon.slice(0, 12)} onDone={start} />
      </section>
      <section aria-label="Done">
        <div className="flex items-baseline border-b border-ink">
          <h2>Done</h2>
          <button data-for="hands" className="act mb-0.5 ml-auto" onClick={() => start()}>
            new entry <span className="unit">N</span>
          </button>
        </div>
        {entries.length === 0 && (
          <p className="text-quiet">
            Nothing is logged yet. Enter what was done to which disk, pool, dataset or box; what is due next follows.
          </p>
        )}
        <ul>
          {entries.map((e) => (
            <li key={e.id} className="grid grid-cols-[86px_1fr_auto] gap-x-3 border-b border-hair py-1">
              <span className="figure">{e.on}</span>
              <span className="min-w-0 wrap-anywhere">
                <button className="text-left font-semibold pick" onClick={() => setEditing({ item: e, isNew: false })}>
                  {words(e.kind)}, {nameOf(plan, e.about_kind, e.about)}
                </button>{' '}
                <span className="text-quiet">
                  {[e.who, e.minutes === null ? '' : `${e.minutes} min`, e.note].filter(Boolean).join(', ')}
                </span>
              </span>
              <span className={e.result === 'failed' ? 'font-semibold text-danger' : 'text-quiet'}>{e.result}</span>
            </li>
          ))}
        </ul>
      </section>
      {editing && (
        <Slip title={editing.isNew ? 'New log entry' : 'Log entry'} onClose={() => setEditing(null)}>
          <ItemForm
            collection="log"
            form={picked}
            options={{ about: abouts(plan) }}
            item={joined(editing.item)}
            isNew={editing.isNew}
            shape={apart}
            onDone={() => setEditing(null)}
          />
        </Slip>
      )}
    </div>
  );
}

/** What the boxes themselves say went well since: a scrub of the pool, updates of the host, the job itself. */
function useReported(): (due: Schemas['Due']) => { on: string; by: string } | undefined {
  const { plan } = usePlan();
  const { data } = useFound();
  const runs = data?.runs.filter((r) => r.result !== 'failed') ?? [];
  return (due) => {
    const mine = new Set(
      plan.jobs
        .filter(
          (j) =>
            (due.about_kind === 'job' && j.id === due.about) ||
            (due.kind === 'scrub' && j.kind === 'scrub' && j.pool === due.about) ||
            (due.kind === 'update' && j.kind === 'updates' && j.host === due.about),
        )
        .map((j) => j.id),
    );
    const tries = due.kind === 'restore_test';
    const run = runs.find((r) => mine.has(r.job_id) && r.tried === tries);
    const on = run?.began.slice(0, 10);
    if (!run || !on || (due.last && on <= due.last)) return undefined;
    return { on, by: plan.hosts.find((h) => h.id === run.host)?.name ?? run.host };
  };
}

function DueList({ items, onDone }: { items: Schemas['Due'][]; onDone: (due: Schemas['Due'], on?: string) => void }) {
  const reported = useReported();
  return (
    <ul>
      {items.map((d) => (
        <li key={`${d.kind}-${d.about}`} className="grid grid-cols-[86px_1fr_auto] gap-x-3 border-b border-hair py-1">
          <span className={`figure ${d.overdue_days > 0 ? 'font-semibold text-danger' : ''}`}>{d.due_on}</span>
          <span className="min-w-0 wrap-anywhere">
            <b>
              {words(d.kind)}, {d.name}
            </b>{' '}
            <span className="text-quiet">
              {d.last ? `last ${d.last}` : 'never done'}
              {d.overdue_days > 0 && `, ${d.overdue_days} d late`}
              {reported(d) && `; ${reported(d)?.by ?? ''} says it went well on ${reported(d)?.on ?? ''}`}
            </span>
          </span>
          <button
            className="act self-start"
            aria-label={`log it: ${words(d.kind)}, ${d.name}`}
            onClick={() => onDone(d, reported(d)?.on)}
          >
            log it
          </button>
        </li>
      ))}
    </ul>
  );
}
