/** People against shares: the access that results, why, and what a change would do before it is saved. */

import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/react';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useQuery } from '@tanstack/react-query';
import { memo, useCallback, useEffect, useMemo, useRef, useState } from 'react';
import { api, unwrap, type Items, type Schemas } from '../../api/client';
import { useChange, usePlan } from '../../api/plan';
import { Differs } from '../../parts/Differs';
import { useFresh } from '../../api/forms';
import { useMay } from '../../api/visitor';
import { ItemForm } from '../../parts/form/ItemForm';
import { Slip } from '../../parts/Slip';
import { useGrid } from '../../parts/useGrid';
import { useKeys } from '../../parts/useKeys';
import { Pick } from '../../parts/Pick';
import { useNarrow } from '../../parts/useNarrow';
import { words } from '../../text/format';
import { ServerFile } from './ServerFile';

type Editing =
  | { what: 'shares'; item: Items['shares']; isNew: boolean }
  | { what: 'accounts'; item: Items['accounts']; isNew: boolean }
  | { what: 'groups'; item: Items['groups']; isNew: boolean };

type Right = Items['grants']['right'];
const RIGHTS: Right[] = ['none', 'read', 'write'];
const SHOWN: Record<Right, string> = { none: '—', read: 'read', write: 'write' };

export function MatrixView() {
  const { plan } = usePlan();
  const [editing, setEditing] = useState<Editing | null>(null);
  const [why, setWhy] = useState('');
  const close = () => setEditing(null);
  const fresh = useFresh();
  const narrow = useNarrow();
  const addShare = () => setEditing({ what: 'shares', item: fresh('shares'), isNew: true });
  useKeys({ n: addShare });
  return (
    <div className="grid gap-x-8 gap-y-4 xl:grid-cols-[minmax(0,1fr)_400px]">
      <div className="min-w-0">
        <div className="mb-1 flex flex-wrap items-baseline gap-2">
          <h2>Who may touch what</h2>
          <span className="ml-auto flex flex-wrap justify-end gap-2">
            <button data-for="plans" className="act" disabled={!plan.datasets.length} onClick={addShare}>
              new share <span className="unit">N</span>
            </button>
            <button
              data-for="plans"
              className="act"
              onClick={() => setEditing({ what: 'accounts', item: fresh('accounts'), isNew: true })}
            >
              new account
            </button>
            <button
              data-for="plans"
              className="act"
              onClick={() => setEditing({ what: 'groups', item: fresh('groups'), isNew: true })}
            >
              new group
            </button>
          </span>
        </div>
        {narrow ? <ByPerson onEdit={setEditing} onWhy={setWhy} /> : <Matrix onEdit={setEditing} onWhy={setWhy} />}
        <p className="min-h-5 text-quiet" aria-live="polite">
          {why || 'An own grant overrides the groups; among groups none wins, then the widest; guests have no grant.'}
        </p>
      </div>
      <ServerFile />
      {editing && (
        <Slip title={`${editing.isNew ? 'New ' : ''}${editing.what.slice(0, -1)}`} onClose={close}>
          <ItemForm collection={editing.what} item={editing.item} isNew={editing.isNew} onDone={close} />
        </Slip>
      )}
    </div>
  );
}

type Pending = ReadonlyMap<string, Right>;

/** Right and reason of a cell: of the packed table, or as the server already said a change makes it. */
function useAccess(pending: Pending) {
  const { access } = usePlan().evaluation;
  return useMemo(() => {
    const row = new Map(access.accounts.map((id, n) => [id, n]));
    const column = new Map(access.shares.map((id, n) => [id, n]));
    const names: Record<string, Right> = { n: 'none', r: 'read', w: 'write' };
    return (account: string, share: string): { right: Right; because: string } => {
      const r = row.get(account) ?? 0;
      const c = column.get(share) ?? 0;
      return {
        right: pending.get(`${account}/${share}`) ?? names[access.rights[c]?.[r] ?? 'n'] ?? 'none',
        because: access.reasons[access.because[c]?.[r] ?? 0] ?? '',
      };
    };
  }, [access, pending]);
}

const NOTHING: Pending = new Map();
const ROW = 31;
const COLUMN = 84;
const PEOPLE = 214;

/** Only the cells in sight are drawn: a big lab has tens of thousands. */
function Matrix({ onEdit, onWhy }: { onEdit: (e: Editing) => void; onWhy: (why: string) => void }) {
  const { plan, meta } = usePlan();
  const [pending, setPending] = useState<{ revision: number; rights: Pending }>({ revision: 0, rights: NOTHING });
  const access = useAccess(pending.revision === meta.revision ? pending.rights : NOTHING);
  const expect = useCallback((rights: Pending) => setPending({ revision: meta.revision, rights }), [meta.revision]);
  const scroller = useRef<HTMLDivElement>(null);
  const grid = useGrid(scroller);
  const grants = useMemo(
    () => new Map(plan.grants.map((g) => [`${g.account ?? g.group ?? ''}/${g.share}`, g])),
    [plan.grants],
  );
  const memberOf = useMemo(() => {
    const found = new Map<string, string[]>();
    for (const g of plan.groups) for (const m of g.members) found.set(m, [...(found.get(m) ?? []), g.name]);
    return found;
  }, [plan.groups]);
  const lines = [
    ...plan.accounts.map((account) => ({ account, group: undefined })),
    ...plan.groups.map((group) => ({ account: undefined, group })),
  ];
  const rows = useVirtualizer({
    count: lines.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 6,
    initialRect: { width: 820, height: 520 },
  });
  const columns = useVirtualizer({
    count: plan.shares.length,
    horizontal: true,
    getScrollElement: () => scroller.current,
    estimateSize: () => COLUMN,
    overscan: 3,
    initialRect: { width: 820, height: 520 },
  });
  if (!plan.shares.length && !plan.accounts.length)
    return (
      <p>
        Nothing is shared yet. Name a dataset under Datasets and quotas, share it, and add the people who use it; the
        access of each then stands here with its reason.
      </p>
    );
  const width = PEOPLE + columns.getTotalSize();
  return (
    <div
      ref={scroller}
      role="grid"
      aria-label="People against shares"
      aria-rowcount={lines.length + 1}
      aria-colcount={plan.shares.length + 1}
      className="relative max-h-[520px] overflow-auto"
      tabIndex={0}
      onKeyDown={grid.onKeyDown}
      onFocus={grid.onFocus}
    >
      <div style={{ height: rows.getTotalSize() + 46, width, position: 'relative' }}>
        <div role="row" className="sticky top-0 z-10 h-[46px] border-b border-ink bg-paper" style={{ width }}>
          <span role="columnheader" className="absolute bottom-1 left-0 text-quiet">
            People, then groups
          </span>
          {columns.getVirtualItems().map((c) => {
            const s = plan.shares[c.index];
            return s ? (
              <span
                key={s.id}
                role="columnheader"
                aria-colindex={c.index + 2}
                className="absolute bottom-0.5 overflow-hidden"
                style={{ left: PEOPLE + c.start, width: COLUMN - 6 }}
              >
                <button
                  className="line-clamp-2 text-left font-semibold wrap-anywhere pick"
                  onClick={() => onEdit({ what: 'shares', item: s, isNew: false })}
                >
                  {s.name}
                </button>
                <Differs about={s.id} />
                {s.guest !== 'none' && <span className="unit block leading-none">guest: {s.guest}</span>}
              </span>
            ) : null;
          })}
        </div>
        {rows.getVirtualItems().map((r) => {
          const line = lines[r.index];
          if (!line) return null;
          const who = line.account ?? line.group;
          const label = line.account ? line.account.login : `group ${line.group.name}`;
          return (
            <div
              key={who.id}
              role="row"
              aria-rowindex={r.index + 2}
              className={`absolute left-0 border-b border-hair ${r.index === plan.accounts.length ? 'border-t border-t-ink' : ''}`}
              style={{ top: r.start + 46, height: ROW, width }}
            >
              <span role="rowheader" className="absolute left-0 truncate pt-1" style={{ width: PEOPLE - 8 }}>
                <button
                  className="font-semibold pick"
                  title={line.account?.full_name}
                  onClick={() =>
                    onEdit(
                      line.account
                        ? { what: 'accounts', item: line.account, isNew: false }
                        : { what: 'groups', item: line.group, isNew: false },
                    )
                  }
                >
                  {line.account ? line.account.login : line.group.name}
                </button>
                <Differs about={who.id} />{' '}
                <span className="unit">
                  {line.account
                    ? [words(line.account.role), ...(memberOf.get(line.account.id) ?? [])].join(', ')
                    : `group, ${line.group.members.length} members`}
                </span>
              </span>
              {columns.getVirtualItems().map((c) => {
                const share = plan.shares[c.index];
                if (!share) return null;
                const grant = grants.get(`${who.id}/${share.id}`);
                const found = line.account
                  ? access(line.account.id, share.id)
                  : {
                      right: grant?.right,
                      because: grant ? `grant of the group: ${grant.right}` : 'the group has no grant here',
                    };
                return (
                  <div
                    key={share.id}
                    role="gridcell"
                    aria-colindex={c.index + 2}
                    className="absolute top-0 p-0.5"
                    style={{ left: PEOPLE + c.start, width: COLUMN }}
                  >
                    <GrantCell
                      place={`${r.index},${c.index}`}
                      label={`${label} on ${share.name}`}
                      right={found.right}
                      because={found.because}
                      grant={grant}
                      share={share.id}
                      account={line.account?.id ?? null}
                      group={line.group?.id ?? null}
                      onWhy={onWhy}
                      onPending={expect}
                    />
                  </div>
                );
              })}
            </div>
          );
        })}
      </div>
    </div>
  );
}

/** On a telephone: one person or group, and every share with the right that they have on it. */
function ByPerson({ onEdit, onWhy }: { onEdit: (e: Editing) => void; onWhy: (why: string) => void }) {
  const { plan, meta } = usePlan();
  const [pending, setPending] = useState<{ revision: number; rights: Pending }>({ revision: 0, rights: NOTHING });
  const access = useAccess(pending.revision === meta.revision ? pending.rights : NOTHING);
  const expect = useCallback((rights: Pending) => setPending({ revision: meta.revision, rights }), [meta.revision]);
  const people = [
    ...plan.accounts.map((a) => ({ value: `a ${a.id}`, label: a.login })),
    ...plan.groups.map((g) => ({ value: `g ${g.id}`, label: `group ${g.name}` })),
  ];
  const [picked, setPicked] = useState(people[0]?.value ?? '');
  const account = plan.accounts.find((a) => `a ${a.id}` === picked);
  const group = plan.groups.find((g) => `g ${g.id}` === picked);
  const who = account ?? group;
  if (!who) return <p>Nobody is in the plan yet: add the people who use what is shared.</p>;
  const label = account ? account.login : `group ${group?.name ?? ''}`;
  return (
    <div>
      <Pick word="What may" label="Person or group" value={picked} options={people} onPick={setPicked} />
      <ul>
        {plan.shares.map((share, n) => {
          const grant = plan.grants.find(
            (g) => g.share === share.id && (account ? g.account === account.id : g.group === group?.id),
          );
          const found = account
            ? access(account.id, share.id)
            : { right: grant?.right, because: grant ? `grant of the group: ${grant.right}` : 'no grant here' };
          return (
            <li key={share.id} className="flex min-h-[44px] items-center gap-3 border-b border-hair">
              <button
                className="pick min-w-0 flex-1 text-left font-semibold wrap-anywhere"
                onClick={() => onEdit({ what: 'shares', item: share, isNew: false })}
              >
                {share.name}
              </button>
              <span className="min-w-0 flex-1 text-[12px] text-quiet">{found.because}</span>
              <span className="w-[76px]">
                <GrantCell
                  place={`${n},0`}
                  label={`${label} on ${share.name}`}
                  right={found.right}
                  because={found.because}
                  grant={grant}
                  share={share.id}
                  account={account?.id ?? null}
                  group={group?.id ?? null}
                  onWhy={onWhy}
                  onPending={expect}
                />
              </span>
            </li>
          );
        })}
      </ul>
    </div>
  );
}

type Candidate = { collection: 'grants'; item: Record<string, unknown> } | { collection: 'grants'; remove: string };

/** Who would gain and lose by a change that is not saved yet, in words. */
type Changes = Schemas['AccessChange'][];

function useWhatIf(candidate: Candidate | null): { said: string; changes: Changes } {
  const { meta } = usePlan();
  const asked = useQuery({
    queryKey: ['access-if', meta.id, meta.revision, JSON.stringify(candidate)],
    enabled: candidate !== null,
    queryFn: async () =>
      unwrap(
        await api.POST('/api/plans/{plan_id}/access-if', {
          params: { path: { plan_id: meta.id } },
          body: candidate ?? { collection: 'grants' },
        }),
      ).changes,
  });
  if (!candidate || !asked.data) return { said: '', changes: [] };
  if (!asked.data.length) return { said: 'It would change nobody’s access.', changes: [] };
  const said = asked.data.slice(0, 6).map((c) => `${c.name} ${c.gains ? 'gains' : 'loses'}: ${c.before} to ${c.after}`);
  const more = asked.data.length - said.length;
  return {
    said: `It would change: ${said.join('; ')}${more > 0 ? ` and ${more} more` : ''}.`,
    changes: asked.data,
  };
}

const GrantCell = memo(function GrantCell({
  place,
  label,
  right,
  because,
  grant,
  share,
  account,
  group,
  onWhy,
  onPending,
}: {
  place: string;
  label: string;
  right: Right | undefined;
  because: string;
  grant: Items['grants'] | undefined;
  share: string;
  account: string | null;
  group: string | null;
  onWhy: (why: string) => void;
  onPending: (rights: Pending) => void;
}) {
  const change = useChange();
  const make = { share, account, group };
  const refused = { onError: () => onPending(NOTHING) };
  const choose = (wanted: Right | 'clear', changes: Changes) => {
    // What the server said of this change is drawn at once; its answer takes its place.
    onPending(new Map(changes.map((c) => [`${c.subject}/${c.thing}`, c.after])));
    if (wanted === 'clear') {
      if (grant) change.mutate({ edit: { do: 'remove', collection: 'grants', id: grant.id } }, refused);
    } else if (grant) {
      change.mutate({ edit: { do: 'put', collection: 'grants', item: { ...grant, right: wanted } } }, refused);
    } else {
      change.mutate(
        { edit: { do: 'add', collection: 'grants', item: { ...make, right: wanted, expires_on: null } } },
        refused,
      );
    }
  };
  const own = grant !== undefined;
  return (
    <Menu>
      <MenuButton
        data-cell={place}
        aria-label={`${label}: ${right ?? 'no grant'}${own && right ? ' own' : ''}. ${because}`}
        title={because}
        onFocus={() => onWhy(`Because: ${because}.`)}
        onMouseEnter={() => onWhy(`Because: ${because}.`)}
        className={`min-h-[25px] w-full min-w-[58px] border px-1 py-0.5 text-left ${
          right === 'write'
            ? 'border-ink bg-data font-semibold'
            : right === 'read'
              ? 'border-ink'
              : 'border-hair text-quiet'
        } hover:border-accent`}
      >
        {right ? SHOWN[right] : ''}
        {own && right !== undefined && <span className="text-[12px] font-normal"> own</span>}
      </MenuButton>
      <MenuItems
        anchor="bottom start"
        className="z-30 border border-ink bg-paper text-ink shadow-[3px_3px_0_var(--hair)] outline-none"
      >
        <Choices grant={grant} make={make} onChoose={choose} />
      </MenuItems>
    </Menu>
  );
});

/** The rights to choose from; the one in focus says who would gain and lose, before it is saved. */
function Choices({
  grant,
  make,
  onChoose,
}: {
  grant: Items['grants'] | undefined;
  make: Pick<Items['grants'], 'share' | 'account' | 'group'>;
  onChoose: (wanted: Right | 'clear', changes: Changes) => void;
}) {
  const may = useMay();
  const [looked, setLooked] = useState<Right | 'clear' | null>(null);
  const candidate: Candidate | null =
    looked === null || looked === grant?.right
      ? null
      : looked === 'clear'
        ? grant
          ? { collection: 'grants', remove: grant.id }
          : null
        : { collection: 'grants', item: { ...make, ...grant, right: looked } };
  const { said, changes } = useWhatIf(candidate);
  return (
    <>
      {[...RIGHTS, 'clear' as const].map((r) => (
        <MenuItem
          key={r}
          as="button"
          disabled={!may || (r === 'clear' && !grant)}
          className={`block w-full px-3 py-1 text-left data-disabled:text-quiet data-focus:bg-picked ${r === 'clear' ? 'border-t border-hair' : ''}`}
          onClick={() => onChoose(r, r === looked ? changes : [])}
        >
          {({ focus }) => (
            <>
              <Looked on={focus} onLook={() => setLooked(r)} />
              {r === 'write' ? 'read and write' : r === 'clear' ? 'no grant of its own' : r}
              {grant?.right === r && <span className="unit"> now</span>}
            </>
          )}
        </MenuItem>
      ))}
      <p className="min-h-5 max-w-[260px] border-t border-hair px-3 py-1 text-[12px]" role="status">
        {may ? said : 'You read here: a planner changes this.'}
      </p>
    </>
  );
}

/** Tells when the item that it stands in comes into focus. */
function Looked({ on, onLook }: { on: boolean; onLook: () => void }) {
  const look = useRef(onLook);
  useEffect(() => {
    look.current = onLook;
  });
  useEffect(() => {
    if (on) look.current();
  }, [on]);
  return null;
}
