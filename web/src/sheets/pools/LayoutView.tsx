/** One pool: its disks cut to scale, every layout that they allow, two held side by side. */

import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, unwrap, type Items, type Layout, type Plan, type Working } from '../../api/client';
import { useChange, usePlan } from '../../api/plan';
import { DiskDrawing, HatchLegend, type DrawnDisk } from '../../drawing/DiskDrawing';
import { Worked } from '../../parts/Asked';
import { WorkingSlip } from '../../parts/WorkingSlip';
import { decimal, minorUnits, money, odds, oddsRange, percent, size, text } from '../../text/format';
import { DatasetTable } from './DatasetTable';
import { useDeclared, useFresh } from '../../api/forms';
import { LayoutFacts, survivalWords } from './LayoutFacts';

export const NEW = '+';
type Filesystem = Items['pools']['filesystem'];

/** Names a layout among those of one set of disks. */
const keyOf = (layout: Layout) => `${layout.family}-${layout.filesystem}-${layout.groups.length}`;

export function LayoutView({ chosen, onChosen }: { chosen: string; onChosen: (pool: string) => void }) {
  const { plan, evaluation, meta } = usePlan();
  const { filesystems } = useDeclared();
  const change = useChange();
  const fresh = useFresh();
  const [host, setHost] = useState(plan.hosts[0]?.id ?? '');
  const [picked, setPicked] = useState<string[]>([]);
  const [filesystem, setFilesystem] = useState<Filesystem | ''>('');
  const [looked, setLooked] = useState<Layout | null>(null);
  const [held, setHeld] = useState<string[]>([]);
  const [working, setWorking] = useState<Working | null>(null);
  const [wrong, setWrong] = useState('');
  const pool = plan.pools.find((p) => p.id === chosen);
  const view = evaluation.pools.find((p) => p.id === chosen);
  const taken = new Set(plan.pools.flatMap((p) => [...p.groups.flat(), ...p.spares, ...p.tier]));
  const free = plan.disks.filter((d) => d.host === host && !taken.has(d.id));
  const ids = pool ? pool.groups.flat() : picked.filter((id) => free.some((d) => d.id === id));
  const shownFs = filesystem || pool?.filesystem || undefined;
  const layouts = useQuery({
    queryKey: ['layouts', meta.id, meta.revision, ids.join(), shownFs],
    enabled: ids.length > 0,
    placeholderData: keepPreviousData,
    queryFn: async () =>
      unwrap(
        await api.GET('/api/plans/{plan_id}/layouts', {
          params: {
            path: { plan_id: meta.id },
            query: { disk: ids, ...(shownFs && { filesystem: shownFs }) },
          },
        }),
      ).layouts,
  });
  const rows = ids.length ? (layouts.data ?? []) : [];
  const current = view?.layout;
  const drawn = looked ?? current ?? rows[0];
  const take = (layout: Layout) => {
    setWrong('');
    const shape = {
      family: layout.family,
      filesystem: layout.filesystem,
      groups: layout.groups,
    };
    const item: Omit<Items['pools'], 'id'> = pool
      ? { ...pool, ...shape }
      : {
          ...fresh('pools'),
          name: freshName(plan.pools),
          host,
          ...shape,
        };
    change.mutate(
      {
        edit: pool
          ? { do: 'put', collection: 'pools', item: { ...item, id: pool.id } }
          : { do: 'add', collection: 'pools', item },
      },
      {
        onSuccess: (state) => {
          setLooked(null);
          setPicked([]);
          if (!pool) onChosen(state.plan.pools.at(-1)?.id ?? NEW);
        },
        onError: (e) => setWrong(e.message),
      },
    );
  };
  const same = (layout: Layout) =>
    current !== undefined &&
    layout.family === current.family &&
    layout.filesystem === current.filesystem &&
    layout.groups.length === current.groups.length;

  const pair = held.flatMap((key) => rows.filter((row) => keyOf(row) === key));
  const hold = (layout: Layout) => {
    const key = keyOf(layout);
    // The third held pushes the first out.
    setHeld(held.includes(key) ? held.filter((k) => k !== key) : [...held, key].slice(-2));
  };

  return (
    <div>
      {wrong && (
        <p role="alert" className="text-danger">
          {wrong}
        </p>
      )}
      <div className="grid gap-x-6 gap-y-4 xl:grid-cols-[minmax(0,1fr)_690px]">
        <section aria-label="Drawing">
          {!pool && (
            <Picker
              host={host}
              onHost={(h) => {
                setHost(h);
                setPicked([]);
              }}
              free={free}
              picked={ids}
              onPick={setPicked}
            />
          )}
          {drawn && ids.length > 0 && (
            <Drawing
              layout={drawn}
              preview={looked !== null && !same(looked)}
              poolName={pool?.name}
              onWorking={setWorking}
            />
          )}
        </section>
        <section aria-label="Layouts">
          <div className="mb-1 flex items-baseline gap-2">
            <h2>What {ids.length === 1 ? 'this disk allows' : `these ${ids.length} disks allow`}</h2>
            <label className="ml-auto flex items-baseline gap-1 text-quiet">
              with
              <select
                className="entry !w-auto"
                aria-label="File system"
                value={shownFs ?? ''}
                onChange={(e) => {
                  setFilesystem(e.target.value as Filesystem);
                  setLooked(null);
                }}
              >
                {!pool && <option value="">each its own</option>}
                {filesystems.map((f) => (
                  <option key={f.id} value={f.id}>
                    {f.id === 'none' ? 'no file system' : f.title}
                  </option>
                ))}
              </select>
            </label>
          </div>
          <p className="unit">Dimmed ones are beaten by another on every count. Choosing wipes nothing here.</p>
          <LayoutTable
            rows={rows}
            waiting={ids.length > 0 && !layouts.data}
            currency={plan.currency}
            current={same}
            looked={looked}
            held={held}
            onHold={hold}
            onLook={setLooked}
            onTake={take}
          />
        </section>
      </div>
      {pair.length === 2 && <HeldPair pair={pair} />}
      {view && (
        <p className="mt-3">
          <b>Room:</b> datasets <span className="figure">{size(view.dataset_bytes)}</span>
          {view.reserved_bytes > 0 && (
            <>
              , kept for thick volumes and reservations <span className="figure">{size(view.reserved_bytes)}</span>,
            </>
          )}{' '}
          and copies and points <span className="figure">{size(view.stored_bytes)}</span> take{' '}
          <span className={`figure font-semibold ${view.fill > 0.8 ? 'text-danger' : ''}`}>{percent(view.fill)}</span>{' '}
          of <span className="figure">{size(view.layout.usable_bytes)}</span>;{' '}
          <Worked name="" value={size(view.left_bytes)} onOpen={() => setWorking(view.room)} /> are left.{' '}
          {typeof view.rebuild_now.value === 'number' && (
            <Worked
              name="a rebuild at that fill"
              value={`${view.rebuild_now.value.toFixed(1)} h`}
              onOpen={() => setWorking(view.rebuild_now)}
            />
          )}
        </p>
      )}
      <DatasetTable pool={pool?.id} />
      <WorkingSlip working={working} onClose={() => setWorking(null)} />
    </div>
  );
}

export function freshName(pools: Items['pools'][]): string {
  const names = new Set(pools.map((p) => p.name.toLowerCase()));
  let n = pools.length + 1;
  while (names.has(`pool ${n}`)) n += 1;
  return `pool ${n}`;
}

function Picker({
  host,
  onHost,
  free,
  picked,
  onPick,
}: {
  host: string;
  onHost: (id: string) => void;
  free: Items['disks'][];
  picked: string[];
  onPick: (ids: string[]) => void;
}) {
  const { plan } = usePlan();
  return (
    <div className="mb-3">
      <label className="flex items-baseline gap-2">
        <span className="text-quiet">Disks in</span>
        <select className="entry !w-auto" value={host} onChange={(e) => onHost(e.target.value)} aria-label="Host">
          {plan.hosts.map((h) => (
            <option key={h.id} value={h.id}>
              {h.name}
            </option>
          ))}
        </select>
        {plan.hosts.length === 0 && <span>Add a host on the Bench first.</span>}
      </label>
      <div className="mt-2 flex flex-wrap gap-x-4 gap-y-1">
        {free.map((d) => (
          <label key={d.id} className="flex items-center gap-1">
            <input
              type="checkbox"
              className="size-4 accent-(--accent)"
              checked={picked.includes(d.id)}
              onChange={(e) => onPick(e.target.checked ? [...picked, d.id] : picked.filter((x) => x !== d.id))}
            />
            {d.label} <span className="figure">{text(decimal(d.capacity_bytes))}</span>
            {d.holds_data && <span className="font-semibold text-danger">holds data</span>}
          </label>
        ))}
        {host && free.length === 0 && (
          <p className="text-quiet">
            Every disk in this host is in a pool, or its bays are empty. Put disks into its bays on the Bench.
          </p>
        )}
      </div>
      {free.length > 0 && picked.length === 0 && <p className="mt-2">Tick the disks, and see all that they allow.</p>}
    </div>
  );
}

/** A layout's disks as the drawing wants them. */
function drawnDisks(plan: Plan, layout: Layout): DrawnDisk[] {
  const disks = new Map(plan.disks.map((d) => [d.id, d]));
  return layout.groups.flatMap((group, n) =>
    group.flatMap((id) => {
      const disk = disks.get(id);
      const parts = layout.disks.find((d) => d.disk === id);
      if (!disk || !parts) return [];
      return [
        {
          id,
          label: disk.label,
          below: disk.bay ?? 'shelf',
          bytes: disk.capacity_bytes,
          group: n,
          parts: {
            // What a layout does not have of a disk is the system's that boots from it.
            system:
              disk.capacity_bytes -
              (parts.data_bytes + parts.redundancy_bytes + parts.reserve_bytes + parts.stranded_bytes),
            data: parts.data_bytes,
            redundancy: parts.redundancy_bytes,
            reserve: parts.reserve_bytes,
            stranded: parts.stranded_bytes,
          },
        },
      ];
    }),
  );
}

/** What may die, in words over the drawing. */
function mayDie(layout: Layout): string {
  if (layout.survives_any === 0)
    return layout.remains === 'nothing' ? 'any one dies, all is lost' : 'any one dies, its files are lost';
  const many = layout.survives_any === 1 ? 'one' : String(layout.survives_any);
  const disks = layout.groups.flat().length;
  const separate = layout.groups.length > 1 && !layout.one_set;
  return separate ? `any ${many} of each group may die` : `any ${many} of these ${disks} may die`;
}

function Drawing({
  layout,
  preview,
  poolName,
  onWorking,
}: {
  layout: Layout;
  preview: boolean;
  poolName: string | undefined;
  onWorking: (working: Working) => void;
}) {
  const { plan } = usePlan();
  const drawn = drawnDisks(plan, layout);
  const caption = mayDie(layout);
  const name = poolName ? `Pool “${poolName}”` : 'New pool';
  return (
    <>
      <h2 className="wrap-anywhere">
        {name}
        {preview && <span className="font-normal text-quiet">, as {layout.title} would have it</span>}
      </h2>
      <p className="mb-1 text-quiet">
        {layout.title}, {layout.filesystem === 'none' ? 'no file system' : layout.filesystem}
      </p>
      <DiskDrawing disks={drawn} caption={caption} title={`${name}: ${layout.title}, ${caption}`} />
      <HatchLegend disks={drawn} />
      <LayoutFacts layout={layout} onWorking={onWorking} />
    </>
  );
}

/** Two layouts side by side, on one scale, with what one gives more than the other. */
function HeldPair({ pair }: { pair: Layout[] }) {
  const { plan } = usePlan();
  const [a, b] = pair as [Layout, Layout];
  const rows: [string, (l: Layout) => string][] = [
    ['usable', (l) => size(l.usable_bytes)],
    ['outlives', (l) => survivalWords(l)],
    ['stranded', (l) => size(l.stranded_bytes)],
    ['lost within 5 years', (l) => odds(l.loss_odds_5y)],
    ['a file damaged in a rebuild', (l) => oddsRange(l.damage_odds_5y, l.damage_at_most_5y)],
    ['rebuild', (l) => (l.rebuild_hours ? `${l.rebuild_hours.toFixed(1)} h` : 'none')],
    ['streams, read and write', (l) => `${l.read_mb_per_s.toFixed(0)} and ${l.write_mb_per_s.toFixed(0)} MB/s`],
    ['small random writes', (l) => `${l.speeds.write_iops.toFixed(0)} IOPS`],
    ['memory advised', (l) => `${l.ram_gib.toFixed(0)} GiB`],
    ['a TB of room costs', (l) => (l.cost_per_tb_minor ? text(money(l.cost_per_tb_minor, plan.currency)) : 'no price')],
    ['grows', (l) => l.grows],
  ];
  return (
    <section aria-label="Held side by side" className="mt-3 border-t border-ink pt-2">
      <h2>Held side by side</h2>
      <div className="grid gap-x-8 md:grid-cols-2">
        {pair.map((layout) => (
          <div key={keyOf(layout)} className="min-w-0">
            <h3 className="mt-1">
              {layout.title}, {layout.filesystem === 'none' ? 'no file system' : layout.filesystem}
            </h3>
            <DiskDrawing
              disks={drawnDisks(plan, layout)}
              caption={mayDie(layout)}
              title={`${layout.title}: ${mayDie(layout)}`}
            />
          </div>
        ))}
      </div>
      <table className="mt-2 w-full">
        <tbody>
          {rows.map(([name, show]) => (
            <tr key={name} className="border-b border-hair">
              <th scope="row" className="w-44">
                {name}
              </th>
              <td className={`figure w-1/2 ${show(a) === show(b) ? 'text-quiet' : ''}`}>{show(a)}</td>
              <td className={`figure ${show(a) === show(b) ? 'text-quiet' : 'font-semibold'}`}>{show(b)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

const GROWS: Record<string, string> = { disk: 'a disk', group: 'a group', replace: 'all anew' };

function LayoutTable({
  rows,
  waiting,
  currency,
  current,
  looked,
  held,
  onHold,
  onLook,
  onTake,
}: {
  rows: Layout[];
  waiting: boolean;
  currency: string;
  current: (layout: Layout) => boolean;
  looked: Layout | null;
  held: string[];
  onHold: (layout: Layout) => void;
  onLook: (layout: Layout | null) => void;
  onTake: (layout: Layout) => void;
}) {
  return (
    <table className="mt-1 w-full" onMouseLeave={() => onLook(null)}>
      <thead>
        <tr className="border-b border-ink">
          <th>Hold</th>
          <th>Layout</th>
          <th className="pl-3 text-right whitespace-nowrap">Usable</th>
          <th className="pl-3 text-right whitespace-nowrap">Outlives</th>
          <th className="pl-3 text-right whitespace-nowrap">{currency} / TB</th>
          <th className="pl-3 text-right whitespace-nowrap">Rebuild</th>
          <th className="pl-3 text-right whitespace-nowrap">5-year loss</th>
          <th className="pl-3 text-right whitespace-nowrap">Write MB/s</th>
          <th className="pl-3 whitespace-nowrap">Grows by</th>
          <th />
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => {
          const key = keyOf(row);
          const now = current(row);
          return (
            <tr
              key={key}
              className={`border-b border-hair ${row.dominated && !now ? 'text-quiet' : ''} ${now || looked === row ? 'bg-picked' : ''} ${now ? 'font-semibold' : ''}`}
              onMouseEnter={() => onLook(row)}
            >
              <td>
                <input
                  type="checkbox"
                  className="size-4 align-middle accent-(--accent)"
                  aria-label={`hold ${row.title} beside another`}
                  checked={held.includes(key)}
                  onChange={() => onHold(row)}
                />
              </td>
              <td className="py-1 pr-2">{row.title}</td>
              <td className="figure pl-3 text-right whitespace-nowrap">{text(decimal(row.usable_bytes))}</td>
              <td className="pl-3 text-right whitespace-nowrap">
                {row.survives_any === 0 ? 'none' : `any ${row.survives_any}`}
              </td>
              <td className="figure pl-3 text-right">
                {row.cost_per_tb_minor === null ? '—' : (row.cost_per_tb_minor / minorUnits(currency)).toFixed(0)}
              </td>
              <td className="figure pl-3 text-right whitespace-nowrap">
                {row.rebuild_hours === null ? '—' : `${row.rebuild_hours.toFixed(1)} h`}
              </td>
              <td className="figure pl-3 text-right whitespace-nowrap">{odds(row.loss_odds_5y)}</td>
              <td className="figure pl-3 text-right whitespace-nowrap">{row.write_mb_per_s.toFixed(0)}</td>
              <td className="pl-3 whitespace-nowrap">{GROWS[row.grows_by]}</td>
              <td className="pl-2 text-right">
                <button
                  data-for="plans"
                  className="underline disabled:no-underline"
                  disabled={now}
                  aria-label={now ? `${row.title} is chosen` : `choose ${row.title}`}
                  onFocus={() => onLook(row)}
                  onClick={() => onTake(row)}
                >
                  {now ? 'chosen' : 'choose'}
                </button>
              </td>
            </tr>
          );
        })}
        {rows.length === 0 && (
          <tr>
            <td colSpan={10} className="py-2 text-quiet" data-waiting={waiting || undefined}>
              {waiting ? 'reckoning ...' : 'No disks, no layouts.'}
            </td>
          </tr>
        )}
      </tbody>
    </table>
  );
}
