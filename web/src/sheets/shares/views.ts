export const VIEWS = [
  { id: 'matrix', title: 'people', key: 'm' },
  { id: 'ways', title: 'other ways', key: 'w' },
  { id: 'rooms', title: 'datasets and quotas', key: 't' },
  { id: 'addresses', title: 'addresses and apps', key: 'a' },
  { id: 'cards', title: 'cards', key: 'k' },
  { id: 'read', title: 'read a file', key: 'r' },
] as const;
export type View = (typeof VIEWS)[number]['id'];
