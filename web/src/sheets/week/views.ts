export const VIEWS = [
  { id: 'lanes', title: 'the week', key: 'w' },
  { id: 'arrange', title: 'arrange for me', key: 'a' },
  { id: 'nights', title: 'nights of a year', key: 'y' },
] as const;
export type View = (typeof VIEWS)[number]['id'];
