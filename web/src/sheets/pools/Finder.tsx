/** The finder: any disks, a wish, and every layout that meets it and that nothing beats; and what to buy. */

import { useState } from 'react';
import type { Items, Schemas, Working } from '../../api/client';
import { useChange, usePlan } from '../../api/plan';
import { useQuestion } from '../../api/questions';
import { Progress, Worked } from '../../parts/Asked';
import { WorkingSlip } from '../../parts/WorkingSlip';
import { decimal, minorUnits, money, odds, readNumber, readSize, size, text } from '../../text/format';
import { useDeclared, useFresh } from '../../api/forms';
import { freshName } from './LayoutView';

type Wish = Required<Schemas['Wish']>;
type Proposal = Schemas['Proposal'];
const FREE_WISH: Wish = {
  survive: 1,
  usable_bytes: 0,
  budget_minor: null,
  bays: null,
  workload: 'files',
  over_time: false,
  snapshots: false,
  checksums: false,
  replication: false,
  filesystem: null,
};
/** What weighs beside room and odds: small accesses for machines, hardly any in an archive. */
const WORKLOADS: Record<Wish['workload'], string> = {
  files: 'files',
  machines: 'virtual machines',
  archive: 'an archive',
};
const MOST = 24;
const TARGETS: Record<string, string> = {
  survive: 'outlives',
  usable: 'usable at least',
  budget: 'money at most',
  bays: 'bays at most',
  'over time': 'bought over time',
  snapshots: 'snapshots',
  checksums: 'checksums',
  replication: 'the hypervisor’s replication',
};

export function Finder({ onMade }: { onMade: (pool: string) => void }) {
  const { plan } = usePlan();
  const standing = new Set(
    plan.pools.filter((p) => p.standing).flatMap((p) => [...p.groups.flat(), ...p.spares, ...p.tier]),
  );
  const free = plan.disks.filter((d) => !standing.has(d.id)).map((d) => d.id);
  const [picked, setPicked] = useState(() => (free.length ? free : plan.disks.map((d) => d.id)).slice(0, MOST));
  const [wish, setWish] = useState<Wish>(FREE_WISH);
  const [buying, setBuying] = useState(false);
  const [working, setWorking] = useState<Working | null>(null);
  const ids = plan.disks.filter((d) => picked.includes(d.id)).map((d) => d.id);
  const asking = useQuestion<'finder'>(ids.length ? { kind: 'finder', disks: ids, wish } : null);
  const shopping = useQuestion<'basket'>(buying ? { kind: 'basket', disks: ids, wish } : null);
  const found = ids.length ? asking.answer?.found : undefined;
  return (
    <div className="grid gap-x-6 gap-y-3 xl:grid-cols-[330px_minmax(0,1fr)]">
      <section aria-label="What is asked" className="gap-x-8 md:grid md:grid-cols-2 xl:block">
        <div>
          <h2>Which disks</h2>
          <p className="mb-3 flex gap-2">
            <button className="act" onClick={() => setPicked(free.slice(0, MOST))}>
              those in no standing pool
            </button>
            <button className="act" onClick={() => setPicked(plan.disks.map((d) => d.id).slice(0, MOST))}>
              all
            </button>
            <button className="act" onClick={() => setPicked([])}>
              none
            </button>
          </p>
          <div className="flex flex-wrap gap-x-4">
            {plan.disks.map((d) => (
              <label key={d.id} className="flex min-h-[24px] items-center gap-1">
                <input
                  type="checkbox"
                  className="size-4 accent-(--accent)"
                  checked={picked.includes(d.id)}
                  disabled={!picked.includes(d.id) && ids.length >= MOST}
                  onChange={(e) => setPicked(e.target.checked ? [...picked, d.id] : picked.filter((x) => x !== d.id))}
                />
                {d.label} <span className="figure text-quiet">{text(decimal(d.capacity_bytes))}</span>
              </label>
            ))}
          </div>
          <p className="unit">
            {ids.length} of at most {MOST} chosen
          </p>
        </div>
        <div>
          <WishForm wish={wish} onWish={setWish} />
        </div>
      </section>
      <div className="min-w-0">
        {ids.length === 0 && <p>Tick some disks, and every layout over them that is worth a look stands here.</p>}
        <Progress asking={asking} what="weighing layouts" />
        {found && <Proposals found={found} onMade={onMade} onWorking={setWorking} />}
        <section aria-label="What to buy" className="mt-4 border-t border-ink pt-2">
          <div className="flex flex-wrap items-baseline gap-3">
            <h2>What should I buy?</h2>
            <label className="flex min-h-[24px] items-center gap-1">
              <input
                type="checkbox"
                className="size-4 accent-(--accent)"
                checked={buying}
                onChange={(e) => setBuying(e.target.checked)}
              />
              for the same wish, over the price list, with the chosen disks if they help
            </label>
          </div>
          {buying && (
            <>
              <Progress asking={shopping} what="trying purchases" />
              {shopping.answer && <Baskets found={shopping.answer.baskets} />}
            </>
          )}
        </section>
      </div>
      <WorkingSlip working={working} onClose={() => setWorking(null)} />
    </div>
  );
}

/** The wish, a line each. A figure counts when its field is left; one that cannot be read is told there. */
function WishForm({ wish, onWish }: { wish: Wish; onWish: (wish: Wish) => void }) {
  const { plan } = usePlan();
  const { filesystems } = useDeclared();
  const unit = minorUnits(plan.currency);
  const set = (change: Partial<Wish>) => onWish({ ...wish, ...change });
  return (
    <>
      <h2 className="xl:mt-3">What is wished</h2>
      <div className="grid grid-cols-[120px_1fr] items-start gap-x-3 gap-y-1">
        <label className="pt-1 text-quiet" htmlFor="wish-survive">
          Must outlive any
        </label>
        <div className="flex items-center gap-2">
          <select
            id="wish-survive"
            className="entry !w-auto"
            value={wish.survive}
            onChange={(e) => set({ survive: Number(e.target.value) })}
          >
            {[0, 1, 2, 3].map((n) => (
              <option key={n} value={n}>
                {n}
              </option>
            ))}
          </select>
          <span className="unit">disks lost</span>
        </div>
        <Figure
          id="wish-usable"
          label="Usable at least"
          unit="as 20 TB"
          read={readSize}
          onRead={(n) => set({ usable_bytes: n ?? 0 })}
        />
        <Figure
          id="wish-budget"
          label="Money at most"
          unit={plan.currency}
          read={readNumber}
          onRead={(n) => set({ budget_minor: n === null ? null : Math.round(n * unit) })}
        />
        <Figure
          id="wish-bays"
          label="Bays at most"
          unit="bays"
          read={(t) => {
            const n = readNumber(t);
            return typeof n === 'number' && !(Number.isInteger(n) && n >= 1 && n <= 60) ? 'from 1 to 60 bays' : n;
          }}
          onRead={(n) => set({ bays: n })}
        />
        <label className="pt-1 text-quiet" htmlFor="wish-workload">
          It is for
        </label>
        <select
          id="wish-workload"
          className="entry !w-auto justify-self-start"
          value={wish.workload}
          onChange={(e) => set({ workload: e.target.value as Wish['workload'] })}
        >
          {Object.entries(WORKLOADS).map(([id, label]) => (
            <option key={id} value={id}>
              {label}
            </option>
          ))}
        </select>
        <label className="pt-1 text-quiet" htmlFor="wish-filesystem">
          File system
        </label>
        <select
          id="wish-filesystem"
          className="entry !w-auto justify-self-start"
          value={wish.filesystem ?? ''}
          onChange={(e) => set({ filesystem: (e.target.value || null) as Wish['filesystem'] })}
        >
          <option value="">any that does it</option>
          {filesystems
            .filter((f) => f.id !== 'none')
            .map((f) => (
              <option key={f.id} value={f.id}>
                {f.title}
              </option>
            ))}
        </select>
      </div>
      <div className="mt-1 flex flex-col">
        {(
          [
            ['over_time', 'may be bought a disk at a time'],
            ['snapshots', 'snapshots'],
            ['checksums', 'checksums and self-repair'],
            ['replication', 'the hypervisor’s own replication (ZFS)'],
          ] as const
        ).map(([name, label]) => (
          <label key={name} className="flex min-h-[24px] items-center gap-1">
            <input
              type="checkbox"
              className="size-4 accent-(--accent)"
              checked={wish[name]}
              onChange={(e) => set({ [name]: e.target.checked })}
            />
            {label}
          </label>
        ))}
      </div>
    </>
  );
}

function Figure({
  id,
  label,
  unit,
  read,
  onRead,
}: {
  id: string;
  label: string;
  unit: string;
  read: (written: string) => number | string;
  onRead: (value: number | null) => void;
}) {
  const [wrong, setWrong] = useState('');
  const take = (written: string) => {
    const value = written.trim() === '' ? null : read(written);
    setWrong(typeof value === 'string' ? value : '');
    if (typeof value !== 'string') onRead(value !== null && value < 0 ? null : value);
  };
  return (
    <>
      <label className="pt-1 text-quiet" htmlFor={id}>
        {label}
      </label>
      <div>
        <div className="flex items-center gap-2">
          <input
            id={id}
            className="entry figure !w-28"
            aria-invalid={wrong !== ''}
            onBlur={(e) => take(e.target.value)}
            onKeyDown={(e) => e.key === 'Enter' && take(e.currentTarget.value)}
          />
          <span className="unit">{unit}</span>
        </div>
        {wrong && (
          <div role="alert" className="text-danger">
            {wrong}
          </div>
        )}
      </div>
    </>
  );
}

function Proposals({
  found,
  onMade,
  onWorking,
}: {
  found: Schemas['Found'];
  onMade: (pool: string) => void;
  onWorking: (working: Working) => void;
}) {
  const { plan } = usePlan();
  const change = useChange();
  const fresh = useFresh();
  const [open, setOpen] = useState<number | null>(null);
  const [wrong, setWrong] = useState('');
  const disks = new Map(plan.disks.map((d) => [d.id, d]));
  const labels = (ids: readonly string[]) => ids.map((id) => disks.get(id)?.label ?? id).join(', ');
  const make = (proposal: Proposal) => {
    const members = proposal.layout.groups.flat();
    const host = disks.get(members[0] ?? '')?.host ?? plan.hosts[0]?.id ?? '';
    const item: Omit<Items['pools'], 'id'> = {
      ...fresh('pools'),
      name: freshName(plan.pools),
      host,
      family: proposal.layout.family,
      filesystem: proposal.layout.filesystem,
      groups: proposal.layout.groups,
      spares: proposal.hot_spares,
      standing: false,
    };
    setWrong('');
    change.mutate(
      { edit: { do: 'add', collection: 'pools', item } },
      {
        onSuccess: (state) => onMade(state.plan.pools.at(-1)?.id ?? ''),
        onError: (e) => setWrong(`It cannot be made yet: ${e.message}`),
      },
    );
  };
  return (
    <section aria-label="Layouts found">
      <h2>
        {found.proposals.length
          ? `${found.proposals.length} ${found.proposals.length === 1 ? 'layout is' : 'layouts are'} worth a look`
          : 'Not to be had'}
      </h2>
      <p className="text-quiet">
        <span className="figure">{found.weighed}</span> weighed over all families and groupings,{' '}
        <span className="figure">{found.fitting}</span> do what is wished,{' '}
        <span className="figure">{found.beaten}</span> of them are beaten by another on every count.
        {found.not_searched && ` Not searched to the end: ${found.not_searched}.`}
      </p>
      {found.misses.length > 0 && (
        <ul className="my-1 border-l-2 border-danger pl-2">
          {found.misses.map((m) => (
            <li key={m.target}>
              <b>
                {TARGETS[m.target] ?? m.target} <Target miss={m} value={m.wanted} />
              </b>{' '}
              cannot be had. The nearest
              {m.alone ? ', with every other wish given up,' : ', with the other wishes kept,'} is{' '}
              <Target miss={m} value={m.nearest ?? 'nothing'} nearest />.
            </li>
          ))}
        </ul>
      )}
      {wrong && (
        <p role="alert" className="text-danger">
          {wrong}
        </p>
      )}
      {found.proposals.length > 0 && (
        <table className="w-full">
          <thead>
            <tr className="border-b border-ink">
              <th>Layout</th>
              <th>With</th>
              <th className="text-right">Usable</th>
              <th className="text-right">Outlives</th>
              <th className="text-right">5-year loss</th>
              <th className="pl-4">Why it is here</th>
            </tr>
          </thead>
          <tbody>
            {found.proposals.map((p, n) => (
              <tr key={n} className={`border-b border-hair align-baseline ${open === n ? 'bg-picked' : ''}`}>
                <td className="py-0.5">
                  <button className="pick" aria-expanded={open === n} onClick={() => setOpen(open === n ? null : n)}>
                    {p.layout.title}
                    {p.hot_spares.length > 0 && ` + hot spare`}
                  </button>
                </td>
                <td>{p.layout.filesystem}</td>
                <td className="figure text-right whitespace-nowrap">{size(p.layout.usable_bytes)}</td>
                <td className="text-right whitespace-nowrap">
                  {p.layout.survives_any ? `any ${p.layout.survives_any}` : 'none'}
                </td>
                <td className="figure text-right whitespace-nowrap">{odds(p.layout.loss_odds_5y)}</td>
                <td className="pl-4">
                  {p.sentence}
                  {open === n && (
                    <div className="mt-1 mb-1 space-y-1">
                      <p>
                        {p.layout.groups.map((g, i) => (
                          <span key={i} className="mr-3">
                            {p.layout.groups.length > 1 ? `Group ${i + 1}: ` : ''}
                            <b>{labels(g)}</b>
                          </span>
                        ))}
                        {p.hot_spares.length > 0 && (
                          <span className="mr-3">
                            Hot spare: <b>{labels(p.hot_spares)}</b>
                          </span>
                        )}
                        {p.shelf.length > 0 && (
                          <span className="mr-3">
                            Left for the shelf: <b>{labels(p.shelf)}</b>
                          </span>
                        )}
                        {p.vm_mirror.length > 0 && (
                          <span>
                            Of these a mirror for virtual machines: <b>{labels(p.vm_mirror)}</b>
                          </span>
                        )}
                      </p>
                      {p.notes.map((note) => (
                        <p key={note}>{note}</p>
                      ))}
                      <p className="flex gap-3">
                        <button data-for="plans" className="act" onClick={() => make(p)}>
                          want this pool
                        </button>
                        <Worked name="why nothing beats it" value="" onOpen={() => onWorking(p.working)} />
                      </p>
                    </div>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {found.beside.length > 0 && (
        <>
          <h3 className="mt-2">Beside it, from the flash disks</h3>
          <ul>
            {found.beside.map((b) => (
              <li key={`${b.role}-${b.layout.groups.join()}`}>
                <b>{labels(b.layout.groups.flat())}</b>, {b.layout.title}, {size(b.layout.usable_bytes)}: {b.sentence}
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}

/** A missed target's figure; money in the plan's currency. */
function Target({ miss, value, nearest = false }: { miss: Schemas['Miss']; value: string; nearest?: boolean }) {
  const { plan } = usePlan();
  if (miss.target !== 'budget') return <span className="figure">{value}</span>;
  const minor = nearest ? miss.nearest_value : Number.parseInt(value, 10);
  return <span className="figure">{text(money(minor ?? 0, plan.currency))}</span>;
}

function Baskets({ found }: { found: Schemas['Baskets'] }) {
  const { plan } = usePlan();
  if (found.why_not) return <p className="text-danger">Nothing: {found.why_not}.</p>;
  return (
    <table className="w-full">
      <thead>
        <tr className="border-b border-ink">
          <th>Buy</th>
          <th className="text-right">Money</th>
          <th className="text-right">Usable</th>
          <th className="text-right">5-year loss</th>
          <th className="pl-4">What it makes</th>
        </tr>
      </thead>
      <tbody>
        {found.baskets.map((b) => (
          <tr key={b.sentence} className="border-b border-hair align-baseline">
            <td>{b.items.map((i) => `${i.count} x ${i.label}`).join(' and ')}</td>
            <td className="figure text-right whitespace-nowrap">{text(money(b.cost_minor, plan.currency))}</td>
            <td className="figure text-right whitespace-nowrap">{size(b.layout.usable_bytes)}</td>
            <td className="figure text-right whitespace-nowrap">{odds(b.layout.loss_odds_5y)}</td>
            <td className="pl-4">{b.sentence}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
