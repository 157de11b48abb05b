import { useCallback, useLayoutEffect, useRef, type FocusEvent, type KeyboardEvent, type RefObject } from 'react';

const MOVES: Record<string, [number, number]> = {
  ArrowUp: [-1, 0],
  ArrowDown: [1, 0],
  ArrowLeft: [0, -1],
  ArrowRight: [0, 1],
};

/**
 * A table whose cells carry data-cell="row,column" is one stop of the Tab key: arrow keys move the
 * focus between the cells, and Tab comes back to the one that had it last.
 */
export function useGrid<E extends HTMLElement>(given?: RefObject<E | null>) {
  const own = useRef<E>(null);
  const root = given ?? own;
  const last = useRef('');
  const settle = useCallback(() => {
    const cells = [...(root.current?.querySelectorAll<HTMLElement>('[data-cell]') ?? [])];
    const current = cells.find((c) => c.dataset.cell === last.current) ?? cells[0];
    for (const cell of cells) cell.tabIndex = cell === current ? 0 : -1;
  }, [root]);
  // Cells come and go with what is drawn.
  useLayoutEffect(settle);
  const onKeyDown = useCallback((event: KeyboardEvent<HTMLElement>) => {
    const move = MOVES[event.key];
    const cell = (event.target as HTMLElement).closest<HTMLElement>('[data-cell]');
    if (!move || !cell) return;
    const [row = 0, column = 0] = (cell.dataset.cell ?? '').split(',').map(Number);
    const next = event.currentTarget.querySelector<HTMLElement>(`[data-cell="${row + move[0]},${column + move[1]}"]`);
    if (!next) return;
    event.preventDefault();
    next.focus();
  }, []);
  const onFocus = useCallback(
    (event: FocusEvent<HTMLElement>) => {
      const cell = event.target.closest<HTMLElement>('[data-cell]');
      if (!cell) return;
      last.current = cell.dataset.cell ?? '';
      settle();
    },
    [settle],
  );
  return { ref: root, onKeyDown, onFocus };
}
