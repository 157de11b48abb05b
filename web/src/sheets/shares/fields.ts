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
  { name: 'expires_on', label: 'Runs out on', kind: 'date', optional: true },
  { name: 'second_factor', label: 'Second factor', kind: 'check' },
  { name: 'must_change', label: 'Was reset', kind: 'check', help: 'changes the password at the next sign-in' },
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
  expires_on: null,
  second_factor: false,
  must_change: false,
};
export const newGroup: Items['groups'] = { id: '', name: '', members: [] };

const PROTOCOLS = { nfs: 'NFS', iscsi: 'iSCSI', rsync: 'rsync module', sftp: 'SFTP', s3: 'S3 tenant', ftp: 'FTP' };
/** Which fields an export has beside the common ones, by its protocol. */
const HAS: Record<string, string[]> = {
  nfs: ['clients', 'squash', 'secured'],
  iscsi: ['clients', 'size_bytes', 'thick', 'secured', 'many_sessions', 'cluster_filesystem'],
  rsync: ['clients', 'accounts'],
  sftp: ['accounts'],
  s3: ['accounts', 'size_bytes', 'secured', 'port', 'console_port', 'buckets'],
  ftp: ['accounts', 'secured', 'port', 'idle_minutes'],
};

export const exportFields = (plan: Plan): FieldSpec[] => {
  const only = (name: string) => ({
    name,
    hidden: (d: Record<string, unknown>) => !HAS[String(d.protocol)]?.includes(name),
  });
  return [
    { name: 'protocol', label: 'Over', kind: 'select', options: options(PROTOCOLS) },
    { name: 'name', label: 'Name', kind: 'text', help: 'small letters, digits, . _ and -' },
    {
      name: 'dataset',
      label: 'Dataset',
      kind: 'select',
      options: plan.datasets.map((d) => ({ value: d.id, label: d.name })),
    },
    { name: 'may', label: 'Right', kind: 'select', options: options({ read: 'read', write: 'read and write' }) },
    {
      ...only('clients'),
      label: 'Let in',
      kind: 'words',
      help: 'hosts, addresses or networks; for iSCSI the initiator, as iqn.2026-01.home.lab:desk',
    },
    {
      ...only('accounts'),
      label: 'Sign in',
      kind: 'several',
      options: plan.accounts.map((a) => ({ value: a.id, label: a.login })),
    },
    { ...only('size_bytes'), label: 'Size', kind: 'size', optional: true, help: 'of the disk, or the tenant’s quota' },
    { ...only('thick'), label: 'Thick', kind: 'check', help: 'its room is taken now and cannot be missed later' },
    { ...only('secured'), label: 'Secured', kind: 'check', help: 'Kerberos (NFS), CHAP (iSCSI), TLS (S3, FTP)' },
    {
      ...only('squash'),
      label: 'Squash',
      kind: 'select',
      options: options({ root: 'root is nobody', all: 'everybody is nobody', none: 'root stays root' }),
    },
    { ...only('many_sessions'), label: 'Many sessions', kind: 'check', help: 'multipath only' },
    {
      ...only('cluster_filesystem'),
      label: 'Cluster',
      kind: 'check',
      help: 'a cluster file system is on it: several clients may have it',
    },
    { ...only('port'), label: 'Port', kind: 'whole', optional: true },
    { ...only('console_port'), label: 'Console port', kind: 'whole', optional: true },
    { ...only('buckets'), label: 'Buckets', kind: 'words' },
    { ...only('idle_minutes'), label: 'Hangs up after', kind: 'whole', unit: 'min' },
  ];
};

export const newExport = (plan: Plan): Items['exports'] => ({
  id: '',
  protocol: 'nfs',
  name: '',
  dataset: plan.datasets[0]?.id ?? '',
  may: 'read',
  clients: [],
  accounts: [],
  size_bytes: null,
  thick: false,
  secured: false,
  squash: 'root',
  many_sessions: false,
  cluster_filesystem: false,
  port: null,
  console_port: null,
  buckets: [],
  idle_minutes: 10,
});

const hosts = (plan: Plan) => plan.hosts.map((h) => ({ value: h.id, label: h.name }));

export const networkFields = (plan: Plan): FieldSpec[] => [
  { name: 'name', label: 'Name', kind: 'text' },
  { name: 'site', label: 'Site', kind: 'select', options: plan.sites.map((s) => ({ value: s.id, label: s.name })) },
  { name: 'range', label: 'Range', kind: 'text', help: 'as 192.168.20.0/24' },
  { name: 'dhcp_from', label: 'DHCP from', kind: 'text', optional: true },
  { name: 'dhcp_to', label: 'DHCP to', kind: 'text', optional: true },
  { name: 'gateway', label: 'Router', kind: 'text', optional: true },
];
export const appFields = (plan: Plan): FieldSpec[] => [
  { name: 'name', label: 'Name', kind: 'text' },
  { name: 'host', label: 'Runs on', kind: 'select', options: hosts(plan) },
  {
    name: 'kind',
    label: 'Kind',
    kind: 'select',
    options: options({ container: 'container', app: 'app', vm: 'virtual machine' }),
  },
  {
    name: 'account',
    label: 'Runs as',
    kind: 'select',
    optional: true,
    options: plan.accounts.map((a) => ({ value: a.id, label: a.login })),
    help: 'none: root',
  },
  { name: 'ports', label: 'Ports', kind: 'numbers' },
];
export const mountFields = (plan: Plan): FieldSpec[] => [
  {
    name: 'app',
    label: 'Application',
    kind: 'select',
    options: plan.apps.map((a) => ({ value: a.id, label: a.name })),
  },
  {
    name: 'dataset',
    label: 'Sees',
    kind: 'select',
    options: plan.datasets.map((d) => ({ value: d.id, label: d.name })),
  },
  { name: 'inside', label: 'At', kind: 'text', help: 'the path inside, as /media/films' },
  { name: 'may', label: 'Right', kind: 'select', options: options({ read: 'read', write: 'read and write' }) },
];
export const openingFields = (plan: Plan): FieldSpec[] => [
  { name: 'host', label: 'Host', kind: 'select', options: hosts(plan) },
  { name: 'port', label: 'Port', kind: 'whole' },
  { name: 'transport', label: 'Over', kind: 'select', options: options({ tcp: 'TCP', udp: 'UDP' }) },
  { name: 'source', label: 'From', kind: 'select', options: options({ internet: 'the internet', vpn: 'the VPN' }) },
  { name: 'purpose', label: 'For', kind: 'text' },
];
export const loginFields = (plan: Plan): FieldSpec[] => [
  { name: 'host', label: 'Host', kind: 'select', options: hosts(plan) },
  { name: 'service', label: 'Of', kind: 'text', help: 'web, root shell or file service: often three passwords' },
  { name: 'login', label: 'Login', kind: 'text' },
  { name: 'changed_on', label: 'Changed on', kind: 'date', optional: true },
  { name: 'off', label: 'Switched off', kind: 'check' },
];
export const quotaFields = (plan: Plan): FieldSpec[] => [
  {
    name: 'account',
    label: 'Who',
    kind: 'select',
    options: plan.accounts.map((a) => ({ value: a.id, label: a.login })),
  },
  {
    name: 'dataset',
    label: 'Of',
    kind: 'select',
    options: plan.datasets.map((d) => ({ value: d.id, label: d.name })),
  },
  { name: 'bytes', label: 'May fill', kind: 'size' },
];
