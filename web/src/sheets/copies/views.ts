export const VIEWS = [
  { id: 'route', title: 'route', key: 'r' },
  { id: 'back', title: 'have it back', key: 'b' },
  { id: 'ladder', title: 'three, two, one', key: 't' },
  { id: 'space', title: 'space', key: 's' },
  { id: 'away', title: 'elsewhere', key: 'e' },
] as const;
export type View = (typeof VIEWS)[number]['id'];
