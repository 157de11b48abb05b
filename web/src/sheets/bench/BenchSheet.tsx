/** The Bench: every host as its front with its bays, loose disks on a shelf, and the same as a table. */

import { useEffect, useState } from 'react';
import { useSearchParams } from 'react-router';
import type { Collection, Items } from '../../api/client';
import { useChange, usePlan } from '../../api/plan';
import { useFresh } from '../../api/forms';
import { useDrift } from '../../api/looks';
import { ItemForm } from '../../parts/form/ItemForm';
import { Slip } from '../../parts/Slip';
import { useKeys } from '../../parts/useKeys';
import { binary, decimal, money, text, words } from '../../text/format';
import { DiskBar } from './DiskBar';
import { LineEntry } from './LineEntry';
import { Paste } from './Paste';
import { Power } from './Power';
import { ItemTable } from '../../parts/form/ItemTable';
import { Scan } from './Scan';
import { PriceList } from './PriceList';
import { Sketches } from './Sketches';

type Disk = Items['disks'];
type Editing = { [C in Collection]: { collection: C; item: Items[C]; isNew: boolean } }[
  'sites' | 'links' | 'hosts' | 'disks' | 'supplies' | 'offers'];

const TITLES = {
  sites: 'site',
  links: 'link',
  hosts: 'host',
  disks: 'disk',
  supplies: 'UPS',
  offers: 'offer',
};

/** What a table of disks has; all else is in the form of each. */
const COLUMNS = [
  'label',
  'serial',
  'capacity_bytes',
  'kind',
  'host',
  'bay',
  'shelf',
  'condition',
  'price_minor',
] as const;

/** A disk is in a bay or on a shelf: the cell that was typed into says which. */
const placed = (disk: Disk, typed: ReadonlySet<string>, shelf: string | null): Disk => {
  if (typed.has('host') && disk.host) return { ...disk, shelf: null };
  if (typed.has('shelf') && disk.shelf) return { ...disk, host: null, bay: null };
  return disk.host || disk.shelf ? disk : { ...disk, bay: null, shelf };
};

export function BenchSheet() {
  const { plan, evaluation } = usePlan();
  const change = useChange();
  const fresh = useFresh();
  const [editing, setEditing] = useState<Editing | null>(null);
  const [hand, setHand] = useState<string | null>(null);
  const [wrong, setWrong] = useState('');
  const [pasting, setPasting] = useState(false);
  const [scanning, setScanning] = useState(false);
  const [tabled, setTabled] = useState(false);
  const [search, setSearch] = useSearchParams();
  const named = search.get('disk');
  useEffect(() => {
    // A tray label's code opens the page with its disk: once, so that closing it stays closed.
    if (named === null) return;
    const found = plan.disks.find((d) => d.id === named);
    if (found) setEditing({ collection: 'disks', item: found, isNew: false });
    else setWrong('The label is of a disk that is not in this plan any more.');
    setSearch({}, { replace: true });
  }, [named, plan.disks, setSearch]);
  const held = plan.disks.find((d) => d.id === hand);
  const tallest = Math.max(0, ...plan.disks.map((d) => d.capacity_bytes));
  const poolOf = new Map(
    plan.pools.flatMap((p) => [...p.groups.flat(), ...p.spares, ...p.tier].map((d) => [d, p.name])),
  );
  const drift = useDrift();
  const differing = new Set(drift.data?.hosts.flatMap((h) => h.differences.map((d) => d.about)));
  const differs = (host: string) => drift.data?.hosts.find((h) => h.host === host)?.differences.length ?? 0;
  const onUps = new Set([
    ...plan.hosts.filter((h) => h.on_ups).map((h) => h.id),
    ...plan.supplies.flatMap((s) => s.hosts),
  ]);
  const siteName = (id: string | null | undefined) => plan.sites.find((s) => s.id === id)?.name ?? 'no place given';

  const addDisk = () =>
    setEditing({
      collection: 'disks',
      item: { ...fresh('disks'), label: `D${plan.disks.length + 1}`, shelf: plan.sites[0]?.id ?? null },
      isNew: true,
    });
  const addHost = () =>
    plan.sites.length
      ? setEditing({ collection: 'hosts', item: fresh('hosts'), isNew: true })
      : setEditing({ collection: 'sites', item: fresh('sites'), isNew: true });
  useKeys({
    n: addDisk,
    h: addHost,
    l: () => setPasting(true),
    s: () => setScanning(true),
    t: () => setTabled(true),
    Escape: () => setHand(null),
  });

  const put = (disk: Disk, place: Partial<Disk>) => {
    setHand(null);
    setWrong('');
    change.mutate(
      {
        edit: {
          do: 'put',
          collection: 'disks',
          item: { ...disk, host: null, bay: null, shelf: null, ...place },
        },
      },
      { onError: (e) => setWrong(`${disk.label} stays where it was: ${e.message}`) },
    );
  };
  const edit = (disk: Disk) => setEditing({ collection: 'disks', item: disk, isNew: false });
  const disk = (d: Disk) => (
    <DiskBar
      key={d.id}
      disk={d}
      tallest={tallest}
      pool={poolOf.get(d.id)}
      inHand={hand === d.id}
      differs={differing.has(d.id)}
      onTake={() => setHand(hand === d.id ? null : d.id)}
      onOpen={() => edit(d)}
    />
  );
  const target = (id: string, place: Partial<Disk>) => ({
    onDragOver: (e: React.DragEvent) => e.preventDefault(),
    onDrop: (e: React.DragEvent) => {
      e.preventDefault();
      const dropped = plan.disks.find((d) => d.id === e.dataTransfer.getData('text/kavrel-disk'));
      if (dropped) put(dropped, place);
    },
    'data-place': id,
  });

  if (!plan.sites.length)
    return (
      <div>
        <h2>An empty bench</h2>
        <p className="my-2 max-w-[760px]">
          Here stand the boxes with their bays and the loose disks on their shelf. Write a box and its disks in one
          line, paste what a machine prints about itself, or begin with a sketch.
        </p>
        <LineEntry />
        <p className="flex flex-wrap gap-2">
          <button data-for="plans" className="act font-semibold" onClick={() => setPasting(true)}>
            paste what a machine prints <span className="unit">L</span>
          </button>
          <button
            data-for="plans"
            className="act"
            onClick={() => setEditing({ collection: 'sites', item: fresh('sites'), isNew: true })}
          >
            add the first site
          </button>
        </p>
        <Sketches />
        {pasting && <Paste onClose={() => setPasting(false)} />}
        {editing && <Editor editing={editing} onClose={() => setEditing(null)} />}
      </div>
    );

  return (
    <div>
      <div className="mb-2 flex flex-wrap items-baseline gap-2">
        <h2>What is there</h2>
        <span className="text-quiet">
          {tallest > 0 && `Bars to scale; the tallest is ${text(decimal(tallest))}. `}Take a disk with Space, put it
          with Space on a bay.
        </span>
        <span className="ml-auto flex flex-wrap justify-end gap-2">
          <button data-for="hands" className="act" onClick={() => setPasting(true)}>
            paste a look <span className="unit">L</span>
          </button>
          <button className="act" onClick={() => setScanning(true)}>
            which disk <span className="unit">S</span>
          </button>
          <button data-for="plans" className="act" onClick={() => setTabled(true)}>
            disks as a table <span className="unit">T</span>
          </button>
          <button data-for="plans" className="act" onClick={addDisk}>
            new disk <span className="unit">N</span>
          </button>
          <button data-for="plans" className="act" onClick={addHost}>
            new host <span className="unit">H</span>
          </button>
          <button
            data-for="plans"
            className="act"
            onClick={() => setEditing({ collection: 'sites', item: fresh('sites'), isNew: true })}
          >
            new site
          </button>
          <button
            data-for="plans"
            className="act"
            disabled={plan.sites.length < 2}
            onClick={() => setEditing({ collection: 'links', item: fresh('links'), isNew: true })}
          >
            new link
          </button>
        </span>
      </div>
      <LineEntry />
      {wrong && (
        <p role="alert" className="mb-2 text-danger">
          {wrong}
        </p>
      )}
      {held && (
        <p className="mb-2 font-semibold" role="status">
          In the hand: {held.label}. Choose a bay or a shelf; Esc puts it back.
        </p>
      )}
      <div className="flex flex-wrap gap-x-8">
        {plan.sites.map((site) => {
          const hosts = plan.hosts.filter((h) => h.site === site.id);
          const loose = plan.disks.filter((d) => !d.host && d.shelf === site.id);
          return (
            <section key={site.id} aria-label={`Site ${site.name}`} className="mb-4 grow">
              <h3 className="mb-1 border-b border-line">
                <button
                  className="wrap-anywhere pick"
                  onClick={() => setEditing({ collection: 'sites', item: site, isNew: false })}
                >
                  {site.name}
                </button>
                {!site.own && <span className="unit ml-2">not in your hands</span>}
                {plan.links
                  .filter((l) => l.a === site.id)
                  .map((l) => (
                    <button
                      key={l.id}
                      className="unit ml-4 underline"
                      onClick={() => setEditing({ collection: 'links', item: l, isNew: false })}
                    >
                      to {siteName(l.b)}: {l.mbit_a_to_b} Mbit/s there, {l.mbit_b_to_a} back
                    </button>
                  ))}
              </h3>
              <div className="flex flex-wrap items-end gap-x-6 gap-y-3">
                {hosts.map((host) => (
                  <section key={host.id} aria-label={`Host ${host.name}`} className="border border-ink">
                    <div className="flex items-end px-1 pt-2">
                      {evaluation.hosts
                        .find((h) => h.id === host.id)
                        ?.bays.map((bay) => {
                          const inside = plan.disks.find((d) => d.host === host.id && d.bay === bay);
                          return (
                            <div
                              key={bay}
                              className="flex max-w-[76px] min-w-[52px] flex-col items-center border-r border-hair last:border-r-0"
                              {...target(`${host.id}/${bay}`, { host: host.id, bay })}
                            >
                              {inside ? (
                                disk(inside)
                              ) : (
                                <button
                                  className="mb-[34px] flex h-[62px] w-9 items-center justify-center border border-dashed border-line text-[12px] text-quiet hover:border-ink"
                                  aria-label={`empty bay ${bay} of ${host.name}${held ? `: put ${held.label} here` : ''}`}
                                  onClick={() => held && put(held, { host: host.id, bay })}
                                >
                                  {held ? 'put' : ''}
                                </button>
                              )}
                              <span className="unit figure">{bay}</span>
                            </div>
                          );
                        })}
                      {evaluation.hosts.find((h) => h.id === host.id)?.bays.length === 0 && (
                        <span className="unit p-3">no bays</span>
                      )}
                    </div>
                    <button
                      className="block w-full min-w-[180px] border-t border-ink px-2 py-1 text-left hover:bg-desk"
                      onClick={() => setEditing({ collection: 'hosts', item: host, isNew: false })}
                    >
                      <b className="wrap-anywhere">{host.name}</b>{' '}
                      <span className="unit">
                        {words(host.kind)}, {host.ram_gib} GiB, {host.network_mbit / 1000} Gbit/s,{' '}
                        {onUps.has(host.id) ? 'on a UPS' : 'no UPS'}
                      </span>
                      {differs(host.id) > 0 && (
                        <span className="block text-[12px]">
                          <b className="border-b border-ink">{differs(host.id)}</b> found otherwise than planned: see
                          the Log
                        </span>
                      )}
                    </button>
                  </section>
                ))}
                <section
                  aria-label={`Shelf at ${site.name}`}
                  className="flex min-w-[150px] flex-col"
                  {...target(`shelf/${site.id}`, { shelf: site.id })}
                >
                  <div className="flex min-h-[40px] items-end">
                    {loose.map((d) => (
                      <div key={d.id} className="flex max-w-[76px] min-w-[52px] flex-col items-center">
                        {disk(d)}
                      </div>
                    ))}
                  </div>
                  <button
                    className="border-t-[3px] border-ink px-2 py-1 text-left text-[12px] text-quiet"
                    disabled={!held}
                    onClick={() => held && put(held, { shelf: site.id })}
                  >
                    {held ? `put ${held.label} on this shelf` : `shelf${loose.length ? '' : ', empty'}`}
                  </button>
                </section>
              </div>
            </section>
          );
        })}
      </div>
      <DiskTable poolOf={poolOf} siteName={siteName} onOpen={edit} onAdd={addDisk} />
      <Power
        onAdd={() => setEditing({ collection: 'supplies', item: fresh('supplies'), isNew: true })}
        onOpen={(item) => setEditing({ collection: 'supplies', item, isNew: false })}
      />
      <PriceList
        onAdd={() => setEditing({ collection: 'offers', item: fresh('offers'), isNew: true })}
        onOpen={(item) => setEditing({ collection: 'offers', item, isNew: false })}
      />
      {pasting && <Paste onClose={() => setPasting(false)} />}
      {tabled && (
        <ItemTable
          title="Disks as a table"
          collection="disks"
          columns={COLUMNS}
          finish={(d, typed) => placed(d, typed, plan.sites[0]?.id ?? null)}
          onClose={() => setTabled(false)}
        />
      )}
      {scanning && (
        <Scan
          onFound={(found) => {
            setScanning(false);
            edit(found);
          }}
          onClose={() => setScanning(false)}
        />
      )}
      {editing && <Editor editing={editing} onClose={() => setEditing(null)} />}
    </div>
  );
}

function Editor({ editing, onClose }: { editing: Editing; onClose: () => void }) {
  const { collection, isNew } = editing;
  const name = TITLES[collection];
  return (
    <Slip title={isNew ? `New ${name}` : `${name[0]?.toUpperCase() ?? ''}${name.slice(1)}`} onClose={onClose}>
      {collection === 'disks' && isNew && (
        <p className="unit mb-2">
          Touch bare metal before you touch the board; lay bare drives on card, not on the chassis.
        </p>
      )}
      <ItemForm collection={collection} item={editing.item} isNew={isNew} onDone={onClose} />
    </Slip>
  );
}

function DiskTable({
  poolOf,
  siteName,
  onOpen,
  onAdd,
}: {
  poolOf: Map<string, string>;
  siteName: (id: string | null | undefined) => string;
  onOpen: (disk: Disk) => void;
  onAdd: () => void;
}) {
  const { plan } = usePlan();
  const hosts = new Map(plan.hosts.map((h) => [h.id, h.name]));
  if (!plan.disks.length)
    return (
      <p>
        No disks yet.{' '}
        <button data-for="plans" className="underline" onClick={onAdd}>
          Add the first one
        </button>{' '}
        with what is printed on it.
      </p>
    );
  return (
    <table className="w-full">
      <thead>
        <tr className="border-b border-ink">
          <th>Disk</th>
          <th>Serial</th>
          <th className="text-right">Sold as</th>
          <th className="text-right">Reported as</th>
          <th className="pl-4">Kind</th>
          <th>Condition</th>
          <th>Place</th>
          <th>Pool</th>
          <th className="text-right">Speed</th>
          <th className="text-right">Price</th>
        </tr>
      </thead>
      <tbody>
        {plan.disks.map((d) => (
          <tr key={d.id} className="border-b border-hair hover:bg-desk">
            <td>
              <button className="font-semibold wrap-anywhere pick" onClick={() => onOpen(d)}>
                {d.label}
              </button>
            </td>
            <td className="figure">{d.serial || '—'}</td>
            <td className="figure text-right">{text(decimal(d.capacity_bytes))}</td>
            <td className="figure text-right text-quiet">{text(binary(d.capacity_bytes))}</td>
            <td className="pl-4">{{ hdd: 'hard disk', ssd: 'SSD', nvme: 'NVMe' }[d.kind]}</td>
            <td>{d.condition}</td>
            <td>{d.host ? `${hosts.get(d.host) ?? ''}, ${d.bay ?? ''}` : `shelf, ${siteName(d.shelf)}`}</td>
            <td>
              {poolOf.get(d.id) ?? '—'}
              {d.holds_data && <span className="ml-2 font-semibold text-danger">holds data</span>}
            </td>
            <td className="figure text-right">{d.mb_per_s} MB/s</td>
            <td className="figure text-right">{text(money(d.price_minor, plan.currency))}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
