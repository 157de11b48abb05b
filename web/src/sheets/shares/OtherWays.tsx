/** Everything offered beside SMB: exports by protocol, disks for many clients, and which one fits. */

import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, unwrap, type Schemas } from '../../api/client';
import { useDeclared } from '../../api/forms';
import { useChange, usePlan } from '../../api/plan';
import { ItemList } from '../../parts/ItemList';
import { readNumber, readSize, size } from '../../text/format';

export function OtherWays() {
  const { plan } = usePlan();
  const { protocol } = useDeclared();
  const data = new Map(plan.datasets.map((d) => [d.id, d.name]));
  const logins = new Map(plan.accounts.map((a) => [a.id, a.login]));
  return (
    <div className="grid gap-x-8 xl:grid-cols-[minmax(0,1fr)_380px]">
      <div>
        <ItemList
          title="Other ways in"
          what="export"
          collection="exports"
          items={plan.exports}
          disabled={!plan.datasets.length}
          empty="Nothing is offered beside SMB. NFS for Unix hosts and hypervisors, iSCSI where a client must see a disk, rsync, SFTP, S3 for backup tools."
          columns={[
            { head: 'Name', show: (e) => e.name },
            { head: 'Over', show: (e) => protocol.get(e.protocol) },
            { head: 'Dataset', show: (e) => data.get(e.dataset) },
            {
              head: 'Who',
              show: (e) =>
                [...e.clients, ...e.accounts.map((a) => logins.get(a) ?? a)].join(', ') || <b>nobody is named</b>,
            },
            { head: 'Right', show: (e) => (e.may === 'write' ? 'read and write' : 'read') },
            {
              head: 'Size',
              right: true,
              show: (e) =>
                e.size_bytes
                  ? `${size(e.size_bytes)}${e.protocol === 'iscsi' ? (e.thick ? ' thick' : ' thin') : ''}`
                  : '',
            },
          ]}
        />
        {plan.datasets.length > 0 && <ManyDisks />}
        <WhoReaches />
      </div>
      <Chooser />
    </div>
  );
}

/** So many LUNs of one size, each for its own initiator, in one gesture. */
function ManyDisks() {
  const { plan, meta } = usePlan();
  const change = useChange();
  const [draft, setDraft] = useState({
    count: '12',
    each: '64 GB',
    prefix: 'desk',
    dataset: plan.datasets[0]?.id ?? '',
    thick: false,
  });
  const [wrong, setWrong] = useState('');
  const count = readNumber(draft.count);
  const each = readSize(draft.each);
  const total = typeof count === 'number' && typeof each === 'number' ? count * each : null;
  const make = () => {
    if (typeof count === 'string' || !Number.isInteger(count) || count < 1 || count > 50) {
      setWrong('from 1 to 50 clients');
      return;
    }
    if (typeof each === 'string') {
      setWrong(each);
      return;
    }
    setWrong('');
    change.mutate(
      {
        edit: {
          do: 'luns',
          luns: { count, size_bytes: each, prefix: draft.prefix, dataset: draft.dataset, thick: draft.thick },
        },
      },
      { onError: (e) => setWrong(e.message) },
    );
  };
  return (
    <section aria-label="Disks for many clients" className="mb-4">
      <h2 className="border-b border-ink">Disks for many clients</h2>
      <div className="flex flex-wrap items-center gap-2 py-1">
        <input
          className="entry figure !w-12"
          aria-label="How many clients"
          value={draft.count}
          onChange={(e) => setDraft({ ...draft, count: e.target.value })}
        />
        clients of
        <input
          className="entry figure !w-20"
          aria-label="Size of each"
          value={draft.each}
          onChange={(e) => setDraft({ ...draft, each: e.target.value })}
        />
        named
        <input
          className="entry !w-24"
          aria-label="First part of their names"
          value={draft.prefix}
          onChange={(e) => setDraft({ ...draft, prefix: e.target.value })}
        />
        on
        <select
          className="entry !w-auto"
          aria-label="Dataset"
          value={draft.dataset}
          onChange={(e) => setDraft({ ...draft, dataset: e.target.value })}
        >
          {plan.datasets.map((d) => (
            <option key={d.id} value={d.id}>
              {d.name}
            </option>
          ))}
        </select>
        <label className="flex min-h-[24px] items-center gap-1">
          <input
            type="checkbox"
            className="size-4 accent-(--accent)"
            checked={draft.thick}
            onChange={(e) => setDraft({ ...draft, thick: e.target.checked })}
          />
          thick
        </label>
        <button data-for="plans" className="act" disabled={change.isPending} onClick={make}>
          make them
        </button>
        {total !== null && <span className="figure">{size(total)} in all</span>}
        {wrong && (
          <span role="alert" className="text-danger">
            {wrong}
          </span>
        )}
      </div>
      <p className="unit">
        One disk for one client: two clients on one disk destroy it, unless a cluster file system is on it. Revision{' '}
        {meta.revision} can be brought back with undo.
      </p>
    </section>
  );
}

const SYSTEMS: [Schemas['Choice']['protocol'], string][] = [
  ['windows', 'Windows'],
  ['macos', 'macOS'],
  ['linux', 'Linux'],
  ['phone', 'phones'],
  ['hypervisor', 'a hypervisor'],
  ['box', 'another box'],
  ['backup', 'a backup tool'],
];

/** What the client needs, and the protocols that do it, with the reason against the others. */
function Chooser() {
  const [needs, setNeeds] = useState<'files' | 'disk' | 'objects'>('files');
  const [systems, setSystems] = useState<string[]>(['windows', 'macos']);
  const [many, setMany] = useState(true);
  const found = useQuery({
    queryKey: ['protocols', needs, systems.join(), many],
    queryFn: async () =>
      unwrap(
        await api.GET('/api/protocols', {
          params: { query: { needs, system: systems as never[], many_writers: many } },
        }),
      ).choices,
  });
  return (
    <section aria-label="Which protocol">
      <h2 className="border-b border-ink">Which one fits?</h2>
      <label className="flex items-center gap-2 pt-1">
        The client needs
        <select
          className="entry !w-auto"
          value={needs}
          aria-label="What the client needs"
          onChange={(e) => setNeeds(e.target.value as typeof needs)}
        >
          <option value="files">files</option>
          <option value="disk">a disk of its own</option>
          <option value="objects">objects in buckets</option>
        </select>
      </label>
      <div className="flex flex-wrap gap-x-3">
        {SYSTEMS.map(([id, name]) => (
          <label key={id} className="flex min-h-[24px] items-center gap-1">
            <input
              type="checkbox"
              className="size-4 accent-(--accent)"
              checked={systems.includes(id)}
              onChange={(e) => setSystems(e.target.checked ? [...systems, id] : systems.filter((x) => x !== id))}
            />
            {name}
          </label>
        ))}
      </div>
      <label className="flex min-h-[24px] items-center gap-1">
        <input
          type="checkbox"
          className="size-4 accent-(--accent)"
          checked={many}
          onChange={(e) => setMany(e.target.checked)}
        />
        several write at once
      </label>
      <ol className="mt-1">
        {found.data?.map((c) => (
          <li key={c.protocol} className={`border-b border-hair py-1 ${c.fits ? '' : 'text-quiet'}`}>
            <b>{c.title}</b> {c.why}
            {c.fits && c.caution && <p className="border-l-2 border-danger pl-2">{c.caution}</p>}
          </li>
        ))}
      </ol>
    </section>
  );
}

/** What one account, machine or application reaches, or who reaches one dataset, and why. */
function WhoReaches() {
  const { plan, meta, evaluation } = usePlan();
  const { protocol } = useDeclared();
  const [about, setAbout] = useState('');
  const data = new Map(plan.datasets.map((d) => [d.id, d.name]));
  const [kind, ...rest] = about.split('/');
  const key = rest.join('/');
  const asked = useQuery({
    queryKey: ['reach', meta.id, meta.revision, about],
    enabled: about !== '',
    placeholderData: keepPreviousData,
    queryFn: async () =>
      unwrap(
        await api.GET('/api/plans/{plan_id}/reach', {
          params: { path: { plan_id: meta.id }, query: kind === 'dataset' ? { dataset: key } : { subject: key } },
        }),
      ).reach,
  });
  const rows = about ? (asked.data ?? []) : evaluation.reach;
  const machines = [...new Set(plan.exports.flatMap((e) => e.clients))];
  return (
    <section aria-label="Who reaches what">
      <div className="flex items-baseline gap-2 border-b border-ink">
        <h2>Who reaches what, and why</h2>
        <select
          className="entry mb-0.5 !w-auto"
          aria-label="About whom or what"
          value={about}
          onChange={(e) => setAbout(e.target.value)}
        >
          <option value="">all that does not come over SMB</option>
          {plan.accounts.map((a) => (
            <option key={a.id} value={`subject/${a.id}`}>
              what {a.login} reaches
            </option>
          ))}
          {plan.apps.map((a) => (
            <option key={a.id} value={`subject/${a.id}`}>
              what {a.name} reaches
            </option>
          ))}
          {machines.map((m) => (
            <option key={m} value={`subject/${m}`}>
              what {m} reaches
            </option>
          ))}
          {plan.datasets.map((d) => (
            <option key={d.id} value={`dataset/${d.id}`}>
              who reaches {d.name}
            </option>
          ))}
        </select>
      </div>
      <ul>
        {rows.map((r) => (
          <li key={`${r.thing}-${r.subject}`} className="border-b border-hair py-0.5">
            <b>{r.name}</b> <span className="unit">{r.subject_kind}</span>{' '}
            {r.right === 'write' ? 'reads and writes' : 'reads'} <b>{data.get(r.dataset)}</b>{' '}
            {r.protocol === 'path' ? '' : `over ${protocol.get(r.protocol) ?? r.protocol} `}
            <span className="text-quiet">because {r.because.join(', ')}</span>
          </li>
        ))}
        {rows.length === 0 && <li className="text-quiet">Nobody, and nothing.</li>}
      </ul>
    </section>
  );
}
