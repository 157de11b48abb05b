import type { Items, Plan } from '../../api/client';
import type { FieldSpec, Option } from '../../parts/ItemForm';

export const options = (pairs: Record<string, string>): Option[] =>
  Object.entries(pairs).map(([value, label]) => ({ value, label }));

const named = (items: { id: string; name: string }[]): Option[] => items.map((x) => ({ value: x.id, label: x.name }));

export const siteFields: FieldSpec[] = [
  { name: 'name', label: 'Name', kind: 'text' },
  {
    name: 'own',
    label: 'In your hands',
    kind: 'check',
    help: 'else copies there are encrypted at the source',
  },
];

export const linkFields = (plan: Plan): FieldSpec[] => [
  { name: 'a', label: 'From site', kind: 'select', options: named(plan.sites) },
  { name: 'b', label: 'To site', kind: 'select', options: named(plan.sites) },
  { name: 'mbit_a_to_b', label: 'There', kind: 'number', unit: 'Mbit/s' },
  { name: 'mbit_b_to_a', label: 'Back', kind: 'number', unit: 'Mbit/s' },
  { name: 'encrypted', label: 'Inside a VPN', kind: 'check' },
];

export const hostFields = (plan: Plan): FieldSpec[] => [
  { name: 'name', label: 'Name', kind: 'text' },
  {
    name: 'kind',
    label: 'Kind',
    kind: 'select',
    options: options({
      tower: 'self-built tower',
      small_box: 'small box with bays',
      old_desktop: 'retired desktop',
      laptop: 'laptop',
      single_board: 'single-board computer',
      hypervisor: 'hypervisor',
      router: 'router with a USB port',
    }),
  },
  { name: 'site', label: 'Site', kind: 'select', options: named(plan.sites) },
  { name: 'bays_35', label: '3.5-inch bays', kind: 'whole' },
  { name: 'bays_25', label: '2.5-inch bays', kind: 'whole' },
  { name: 'slots_nvme', label: 'NVMe slots', kind: 'whole' },
  { name: 'ports_usb', label: 'USB ports', kind: 'whole' },
  { name: 'ram_gib', label: 'Memory', kind: 'number', unit: 'GiB' },
  { name: 'network_mbit', label: 'Network port', kind: 'number', unit: 'Mbit/s' },
  {
    name: 'boot_device',
    label: 'Boots from',
    kind: 'select',
    options: options({
      ssd: 'SSD',
      nvme: 'NVMe',
      hdd: 'hard disk',
      usb_stick: 'USB stick',
      sd_card: 'SD card',
    }),
  },
  {
    name: 'boot_copied',
    label: 'Config copied',
    kind: 'check',
    help: 'its configuration has a copy elsewhere',
  },
  { name: 'on_ups', label: 'On a UPS', kind: 'check' },
  {
    name: 'default_passwords_changed',
    label: 'Passwords changed',
    kind: 'check',
    help: 'web, root shell and file service',
  },
  { name: 'price_minor', label: 'Price', kind: 'money', unit: plan.currency },
];

export const diskFields = (plan: Plan): FieldSpec[] => [
  { name: 'label', label: 'Label', kind: 'text', help: 'as written on the tray' },
  { name: 'serial', label: 'Serial', kind: 'text' },
  {
    name: 'capacity_bytes',
    label: 'Capacity',
    kind: 'capacity',
    help: 'as sold (12TB, 500 GB), made exact by the size standards; or exact bytes',
  },
  {
    name: 'kind',
    label: 'Kind',
    kind: 'select',
    options: options({ hdd: 'hard disk', ssd: 'SSD', nvme: 'NVMe' }),
  },
  {
    name: 'form',
    label: 'Form',
    kind: 'select',
    options: options({ '3.5': '3.5 inch', '2.5': '2.5 inch', 'm.2': 'M.2' }),
  },
  {
    name: 'condition',
    label: 'Condition',
    kind: 'select',
    options: options({ new: 'new', used: 'used', refurbished: 'refurbished' }),
  },
  { name: 'batch', label: 'Batch', kind: 'text', help: 'disks of one batch fail together' },
  { name: 'price_minor', label: 'Price', kind: 'money', unit: plan.currency },
  {
    name: 'mb_per_s',
    label: 'Average speed',
    kind: 'number',
    unit: 'MB/s',
    help: 'over the whole platter',
  },
  {
    name: 'yearly_failure_rate',
    label: 'Fails in a year',
    kind: 'number',
    optional: true,
    unit: 'share',
    help: 'empty: the assumption for its kind',
  },
  {
    name: 'bits_per_read_error',
    label: 'Bits per error',
    kind: 'number',
    optional: true,
    unit: 'bits',
    help: 'rated, as 1e14; empty: the assumption',
  },
  { name: 'own_supply', label: 'Own supply', kind: 'check', help: 'a USB case with its own power' },
  {
    name: 'holds_data',
    label: 'Holds data',
    kind: 'check',
    help: 'what is on it now must survive',
  },
  {
    name: 'host',
    label: 'In host',
    kind: 'select',
    optional: true,
    options: named(plan.hosts),
  },
  {
    name: 'bay',
    label: 'Bay',
    kind: 'text',
    help: 'as 3.5-1, 2.5-1, nvme-1 or usb-1',
    hidden: (d) => d.host === '',
  },
  {
    name: 'shelf',
    label: 'On the shelf at',
    kind: 'select',
    optional: true,
    options: named(plan.sites),
    hidden: (d) => d.host !== '',
  },
];

/** A disk is in a bay or on a shelf: the place that was not chosen is cleared. */
export const placed = (disk: Items['disks']): Items['disks'] =>
  disk.host ? { ...disk, shelf: null, bay: disk.bay || null } : { ...disk, bay: null };

export const newSite: Items['sites'] = { id: '', name: '', own: true };
export const newLink: Items['links'] = {
  id: '',
  a: '',
  b: '',
  mbit_a_to_b: 40,
  mbit_b_to_a: 40,
  encrypted: true,
};
export const newHost = (plan: Plan): Items['hosts'] => ({
  id: '',
  name: '',
  kind: 'tower',
  site: plan.sites[0]?.id ?? '',
  bays_35: 4,
  bays_25: 0,
  slots_nvme: 0,
  ports_usb: 0,
  ram_gib: 8,
  network_mbit: 1000,
  boot_device: 'ssd',
  boot_copied: false,
  on_ups: false,
  default_passwords_changed: false,
  price_minor: 0,
});
export const newDisk = (plan: Plan): Items['disks'] => ({
  id: '',
  label: `D${plan.disks.length + 1}`,
  serial: '',
  capacity_bytes: 0,
  kind: 'hdd',
  form: '3.5',
  condition: 'new',
  batch: '',
  price_minor: 0,
  mb_per_s: 185,
  yearly_failure_rate: null,
  bits_per_read_error: null,
  own_supply: false,
  holds_data: false,
  host: null,
  bay: null,
  shelf: plan.sites[0]?.id ?? null,
});
