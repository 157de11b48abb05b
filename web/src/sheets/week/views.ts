export const VIEWS = [
  { id: 'lanes', title: 'the week', key: 'w' },
  { id: 'arrange', title: 'arrange for me', key: 'a' },
  { id: 'nights', title: 'nights of a year', key: 'y' },
  { id: 'run', title: 'run it', key: 'r' },
] as const;
export type View = (typeof VIEWS)[number]['id'];
