export const VIEWS = [
  { id: 'done', title: 'due and done', key: 'e' },
  { id: 'drift', title: 'planned and found', key: 't' },
  { id: 'points', title: 'points and runs', key: 'o' },
  { id: 'wear', title: 'wear', key: 'w' },
  { id: 'drills', title: 'drills', key: 'i' },
  { id: 'messages', title: 'messages', key: 'm' },
] as const;
export type View = (typeof VIEWS)[number]['id'];
