export const VIEWS = [
  { id: 'layout', title: 'layout', key: 'l' },
  { id: 'years', title: 'years ahead', key: 'y' },
  { id: 'odds', title: 'odds', key: 'o' },
  { id: 'find', title: 'find a layout', key: 'i' },
  { id: 'shuffle', title: 'shuffle', key: 's' },
] as const;
export type View = (typeof VIEWS)[number]['id'];
