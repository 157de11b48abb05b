/** Shares: people against shares, the access that results and why, and the file a server would be given. */

import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/react';
import { useState } from 'react';
import type { Items } from '../../api/client';
import { useChange, usePlan } from '../../api/plan';
import { ItemForm } from '../../parts/ItemForm';
import { Slip } from '../../parts/Slip';
import { useGrid } from '../../parts/useGrid';
import { useKeys } from '../../parts/useKeys';
import { words } from '../../text/format';
import { DatasetTable } from '../pools/DatasetTable';
import { ServerFile } from './ServerFile';
import { accountFields, groupFields, newAccount, newGroup, newShare, shareFields } from './fields';

type Editing =
  | { what: 'shares'; item: Items['shares']; isNew: boolean }
  | { what: 'accounts'; item: Items['accounts']; isNew: boolean }
  | { what: 'groups'; item: Items['groups']; isNew: boolean };

type Right = Items['grants']['right'];
const RIGHTS: Right[] = ['none', 'read', 'write'];
const SHOWN: Record<Right, string> = { none: '—', read: 'read', write: 'write' };

export function SharesSheet() {
  const { plan } = usePlan();
  const [editing, setEditing] = useState<Editing | null>(null);
  const [why, setWhy] = useState<string[]>([]);
  const close = () => setEditing(null);
  const addShare = () => setEditing({ what: 'shares', item: newShare(plan), isNew: true });
  useKeys({ n: addShare });
  return (
    <div className="grid gap-x-8 gap-y-4 xl:grid-cols-[minmax(0,1fr)_400px]">
      <div className="min-w-0">
        <div className="mb-1 flex flex-wrap items-baseline gap-2">
          <h2>Who may touch what</h2>
          <span className="ml-auto flex gap-2">
            <button className="act" disabled={!plan.datasets.length} onClick={addShare}>
              new share <span className="unit">N</span>
            </button>
            <button className="act" onClick={() => setEditing({ what: 'accounts', item: newAccount, isNew: true })}>
              new account
            </button>
            <button className="act" onClick={() => setEditing({ what: 'groups', item: newGroup, isNew: true })}>
              new group
            </button>
          </span>
        </div>
        <Matrix onEdit={setEditing} onWhy={setWhy} />
        <p className="min-h-5 text-quiet" aria-live="polite">
          {why.length > 0
            ? `Because: ${why.join('; ')}.`
            : 'An own grant overrides the groups; among groups none wins, then the widest; guests have no grant.'}
        </p>
        <DatasetTable />
      </div>
      <ServerFile />
      {editing && (
        <Slip title={`${editing.isNew ? 'New ' : ''}${editing.what.slice(0, -1)}`} onClose={close}>
          {editing.what === 'shares' && (
            <ItemForm
              collection="shares"
              specs={shareFields(plan)}
              item={editing.item}
              isNew={editing.isNew}
              onDone={close}
            />
          )}
          {editing.what === 'accounts' && (
            <ItemForm
              collection="accounts"
              specs={accountFields}
              item={editing.item}
              isNew={editing.isNew}
              onDone={close}
            />
          )}
          {editing.what === 'groups' && (
            <ItemForm
              collection="groups"
              specs={groupFields(plan)}
              item={editing.item}
              isNew={editing.isNew}
              onDone={close}
            />
          )}
        </Slip>
      )}
    </div>
  );
}

function Matrix({ onEdit, onWhy }: { onEdit: (e: Editing) => void; onWhy: (why: string[]) => void }) {
  const { plan, evaluation } = usePlan();
  const grid = useGrid();
  const access = new Map(evaluation.access.map((a) => [`${a.account}/${a.share}`, a]));
  const grants = new Map(plan.grants.map((g) => [`${g.account ?? g.group ?? ''}/${g.share}`, g]));
  const memberOf = (id: string) => plan.groups.filter((g) => g.members.includes(id)).map((g) => g.name);
  if (!plan.shares.length && !plan.accounts.length)
    return (
      <p>
        Nothing is shared yet. Name a dataset below, share it, and add the people who use it; the access of each then
        stands here with its reason.
      </p>
    );
  return (
    <div className="overflow-x-auto">
      <table className="w-full" onKeyDown={grid}>
        <thead>
          <tr className="border-b border-ink">
            <th>People</th>
            {plan.shares.map((s) => (
              <th key={s.id} className="px-1 align-bottom">
                <button
                  className="max-w-[110px] text-left font-semibold wrap-anywhere text-ink pick"
                  onClick={() => onEdit({ what: 'shares', item: s, isNew: false })}
                >
                  {s.name}
                </button>
                {s.guest !== 'none' && <div className="unit">guest: {s.guest}</div>}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {plan.accounts.map((a, row) => (
            <tr key={a.id} className="border-b border-hair">
              <td className="pr-2">
                <button
                  className="font-semibold pick"
                  title={a.full_name}
                  onClick={() => onEdit({ what: 'accounts', item: a, isNew: false })}
                >
                  {a.login}
                </button>{' '}
                <span className="unit">
                  {words(a.role)}
                  {memberOf(a.id).length > 0 && `; in ${memberOf(a.id).join(', ')}`}
                </span>
              </td>
              {plan.shares.map((s, column) => {
                const found = access.get(`${a.id}/${s.id}`);
                return (
                  <GrantCell
                    key={s.id}
                    place={`${row},${column}`}
                    label={`${a.login} on ${s.name}`}
                    right={found?.right ?? 'none'}
                    because={found?.because ?? []}
                    grant={grants.get(`${a.id}/${s.id}`)}
                    make={{ share: s.id, account: a.id, group: null }}
                    onWhy={onWhy}
                  />
                );
              })}
            </tr>
          ))}
          {plan.groups.length > 0 && (
            <tr>
              <td colSpan={plan.shares.length + 1} className="pt-2 text-quiet">
                Grants of groups
              </td>
            </tr>
          )}
          {plan.groups.map((g, n) => (
            <tr key={g.id} className="border-b border-hair">
              <td>
                <button
                  className="font-semibold pick"
                  onClick={() => onEdit({ what: 'groups', item: g, isNew: false })}
                >
                  {g.name}
                </button>{' '}
                <span className="unit">{g.members.length} members</span>
              </td>
              {plan.shares.map((s, column) => {
                const grant = grants.get(`${g.id}/${s.id}`);
                return (
                  <GrantCell
                    key={s.id}
                    place={`${plan.accounts.length + n},${column}`}
                    label={`group ${g.name} on ${s.name}`}
                    right={grant?.right}
                    because={grant ? [`grant of the group: ${grant.right}`] : ['the group has no grant here']}
                    grant={grant}
                    make={{ share: s.id, account: null, group: g.id }}
                    onWhy={onWhy}
                  />
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function GrantCell({
  place,
  label,
  right,
  because,
  grant,
  make,
  onWhy,
}: {
  place: string;
  label: string;
  right: Right | undefined;
  because: string[];
  grant: Items['grants'] | undefined;
  make: Pick<Items['grants'], 'share' | 'account' | 'group'>;
  onWhy: (why: string[]) => void;
}) {
  const change = useChange();
  const choose = (wanted: Right | 'clear') => {
    if (wanted === 'clear') {
      if (grant) change.mutate({ edit: { do: 'remove', collection: 'grants', id: grant.id } });
    } else if (grant) {
      change.mutate({
        edit: { do: 'put', collection: 'grants', item: { ...grant, right: wanted } },
      });
    } else {
      change.mutate({
        edit: { do: 'add', collection: 'grants', item: { ...make, right: wanted } },
      });
    }
  };
  const own = grant !== undefined;
  return (
    <td className="p-0.5">
      <Menu>
        <MenuButton
          data-cell={place}
          aria-label={`${label}: ${right ?? 'no grant'}${own && right ? ' own' : ''}. ${because.join('; ')}`}
          title={because.join('; ')}
          onFocus={() => onWhy(because)}
          onMouseEnter={() => onWhy(because)}
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
          {RIGHTS.map((r) => (
            <MenuItem key={r}>
              <button className="block w-full px-3 py-1 text-left data-focus:bg-picked" onClick={() => choose(r)}>
                {r === 'write' ? 'read and write' : r}
                {grant?.right === r && <span className="unit"> now</span>}
              </button>
            </MenuItem>
          ))}
          <MenuItem disabled={!grant}>
            <button
              className="block w-full border-t border-hair px-3 py-1 text-left data-disabled:text-quiet data-focus:bg-picked"
              onClick={() => choose('clear')}
            >
              no grant of its own
            </button>
          </MenuItem>
        </MenuItems>
      </Menu>
    </td>
  );
}
