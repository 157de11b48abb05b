import type { Items, Plan } from '../../api/client';
import type { FieldSpec } from '../../parts/ItemForm';
import { options } from '../bench/fields';

export const shareFields = (plan: Plan): FieldSpec[] => [
  { name: 'name', label: 'Name', kind: 'text', help: 'as clients see it' },
  {
    name: 'dataset',
    label: 'Dataset',
    kind: 'select',
    options: plan.datasets.map((d) => ({ value: d.id, label: d.name })),
  },
  {
    name: 'guest',
    label: 'Guests',
    kind: 'select',
    options: options({ none: 'none', read: 'read', write: 'read and write' }),
    help: 'anybody on the network without a grant',
  },
  {
    name: 'home',
    label: 'Home folders',
    kind: 'check',
    help: 'one private folder a user; the administrator can read all',
  },
  {
    name: 'recycle_days',
    label: 'Recycle bin',
    kind: 'whole',
    unit: 'days',
    help: '0: none; emptied every night',
  },
  {
    name: 'smb1',
    label: 'Old client',
    kind: 'check',
    help: 'one that still needs SMB 1: a finding, not a setting',
  },
  { name: 'comment', label: 'Comment', kind: 'text' },
];

export const accountFields: FieldSpec[] = [
  { name: 'login', label: 'Login', kind: 'text', help: 'small letters, digits, - and _' },
  { name: 'full_name', label: 'Who', kind: 'text' },
  {
    name: 'role',
    label: 'Role',
    kind: 'select',
    options: options({
      everyday: 'everyday',
      administrator: 'administrator',
      player: 'player, reads only',
      machine: 'machine',
      backup: 'backup',
    }),
  },
  { name: 'enabled', label: 'Switched on', kind: 'check' },
];

export const groupFields = (plan: Plan): FieldSpec[] => [
  { name: 'name', label: 'Name', kind: 'text', help: 'small letters, digits, - and _' },
  {
    name: 'members',
    label: 'Members',
    kind: 'several',
    options: plan.accounts.map((a) => ({ value: a.id, label: a.login })),
  },
];

export const newShare = (plan: Plan): Items['shares'] => ({
  id: '',
  name: '',
  dataset: plan.datasets[0]?.id ?? '',
  guest: 'none',
  smb1: false,
  home: false,
  recycle_days: 7,
  comment: '',
});
export const newAccount: Items['accounts'] = {
  id: '',
  login: '',
  full_name: '',
  role: 'everyday',
  enabled: true,
};
export const newGroup: Items['groups'] = { id: '', name: '', members: [] };
