export const VIEWS = [
  { id: 'cells', title: 'one at a time', key: 'o' },
  { id: 'pairs', title: 'two at once', key: 't' },
  { id: 'lab', title: 'over the years', key: 'y' },
  { id: 'against', title: 'against another plan', key: 'a' },
] as const;
export type View = (typeof VIEWS)[number]['id'];
