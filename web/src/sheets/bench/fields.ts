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
  {
    name: 'relayed',
    label: 'Boxes by relay',
    kind: 'check',
    help: 'they reach each other by the overlay’s addresses, and not straight: a LAN of a few Mbit/s',
  },
];

export const linkFields = (plan: Plan): FieldSpec[] => [
  { name: 'a', label: 'From site', kind: 'select', options: named(plan.sites) },
  { name: 'b', label: 'To site', kind: 'select', options: named(plan.sites) },
  { name: 'mbit_a_to_b', label: 'There', kind: 'number', unit: 'Mbit/s' },
  { name: 'mbit_b_to_a', label: 'Back', kind: 'number', unit: 'Mbit/s' },
  { name: 'encrypted', label: 'Inside a VPN', kind: 'check' },
  { name: 'relayed', label: 'Relayed', kind: 'check', help: 'through a relay instead of straight: many times slower' },
  {
    name: 'allowance_bytes_per_month',
    label: 'Allowance',
    kind: 'size',
    unit: 'a month',
    optional: true,
    help: 'empty: none; caps by time of day are on Copies',
  },
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
  {
    name: 'addressing',
    label: 'Address by',
    kind: 'select',
    options: options({ dhcp: 'DHCP', reserved: 'a reservation in the router', static: 'hand (static)' }),
  },
  {
    name: 'address',
    label: 'Address',
    kind: 'text',
    optional: true,
    help: 'outside the DHCP range when static',
    hidden: (d) => d.addressing === 'dhcp',
  },
  { name: 'vpn_address', label: 'VPN address', kind: 'text', optional: true, help: 'the same wherever it stands' },
  { name: 'on_ups', label: 'On a UPS', kind: 'check', help: 'or plug it into one of the plan, below' },
  {
    name: 'idle_watts',
    label: 'Draws',
    kind: 'number',
    unit: 'W',
    optional: true,
    help: 'without its disks; empty: the assumption for its kind',
  },
  { name: 'shutdown_minutes', label: 'Shuts down in', kind: 'number', unit: 'min', help: 'with unmounting' },
  {
    name: 'after_power_cut',
    label: 'After a power cut',
    kind: 'select',
    options: options({
      by_itself: 'starts by itself',
      over_network: 'woken over the network',
      by_hand: 'by hand',
    }),
  },
  { name: 'start_order', label: 'Starts as number', kind: 'whole', help: 'boxes that others wait for come first' },
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
  {
    name: 'recording',
    label: 'Recording',
    kind: 'select',
    options: options({ cmr: 'conventional (CMR)', smr: 'shingled (SMR)' }),
    hidden: (d) => d.kind !== 'hdd',
  },
  {
    name: 'sector',
    label: 'Sectors',
    kind: 'select',
    options: options({ '512n': '512 B native', '512e': '512 B over 4 KiB (512e)', '4kn': '4 KiB native (4Kn)' }),
  },
  { name: 'bought_on', label: 'Bought on', kind: 'date', optional: true },
  { name: 'run_hours', label: 'Ran before', kind: 'whole', unit: 'h', help: 'hours already run when it was bought' },
  {
    name: 'wear_percent',
    label: 'Wear',
    kind: 'whole',
    unit: '% of its rated writes',
    hidden: (d) => d.kind === 'hdd',
  },
  { name: 'watts', label: 'Draws', kind: 'number', unit: 'W', optional: true, help: 'at work; empty: the assumption' },
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

export const supplyFields = (plan: Plan): FieldSpec[] => [
  { name: 'name', label: 'Name', kind: 'text' },
  { name: 'site', label: 'Site', kind: 'select', options: named(plan.sites) },
  { name: 'va', label: 'Rated', kind: 'number', unit: 'VA' },
  { name: 'watts', label: 'Carries', kind: 'number', unit: 'W' },
  { name: 'battery_wh', label: 'Battery', kind: 'number', unit: 'Wh' },
  { name: 'rated_hours', label: 'Rated over', kind: 'number', unit: 'h', help: 'lead batteries: often 20 h' },
  {
    name: 'exponent',
    label: 'Discharge exponent',
    kind: 'number',
    help: '1 for an ideal battery, 1.1 to 1.3 for lead (Peukert)',
  },
  { name: 'health_percent', label: 'Health', kind: 'whole', unit: '% of new' },
  { name: 'hosts', label: 'Feeds', kind: 'several', options: named(plan.hosts) },
  { name: 'signals', label: 'Tells', kind: 'several', options: named(plan.hosts) },
  { name: 'delay_minutes', label: 'Waits', kind: 'number', unit: 'min', help: 'before it tells hosts to stop' },
  { name: 'price_minor', label: 'Price', kind: 'money', unit: plan.currency },
];

export const offerFields = (plan: Plan): FieldSpec[] => [
  { name: 'label', label: 'Name', kind: 'text' },
  ...diskFields(plan).filter((f) => ['capacity_bytes', 'kind', 'form', 'condition', 'recording'].includes(f.name)),
  { name: 'price_minor', label: 'Price', kind: 'money', unit: plan.currency },
  { name: 'mb_per_s', label: 'Average speed', kind: 'number', unit: 'MB/s' },
  { name: 'at_most', label: 'To be had', kind: 'whole', unit: 'pieces' },
];

/** A disk is in a bay or on a shelf: the place that was not chosen is cleared. */
export const placed = (disk: Items['disks']): Items['disks'] =>
  disk.host ? { ...disk, shelf: null, bay: disk.bay || null } : { ...disk, bay: null };

export const newSite: Items['sites'] = { id: '', name: '', own: true, relayed: false };
export const newLink: Items['links'] = {
  id: '',
  a: '',
  b: '',
  mbit_a_to_b: 40,
  mbit_b_to_a: 40,
  encrypted: true,
  relayed: false,
  allowance_bytes_per_month: null,
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
  idle_watts: null,
  shutdown_minutes: 2,
  after_power_cut: 'by_hand',
  start_order: 1,
  addressing: 'dhcp',
  address: null,
  vpn_address: null,
});
export const newSupply = (plan: Plan): Items['supplies'] => ({
  id: '',
  name: '',
  site: plan.sites[0]?.id ?? '',
  va: 900,
  watts: 540,
  battery_wh: 216,
  rated_hours: 20,
  exponent: 1.15,
  health_percent: 100,
  hosts: [],
  signals: [],
  delay_minutes: 5,
  price_minor: 0,
});
export const newOffer: Items['offers'] = {
  id: '',
  label: '',
  capacity_bytes: 0,
  kind: 'hdd',
  form: '3.5',
  condition: 'new',
  recording: 'cmr',
  price_minor: 0,
  mb_per_s: 185,
  at_most: 24,
};
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
  recording: 'cmr',
  sector: '512e',
  bought_on: null,
  run_hours: 0,
  wear_percent: 0,
  watts: null,
  own_supply: false,
  holds_data: false,
  host: null,
  bay: null,
  shelf: plan.sites[0]?.id ?? null,
});
