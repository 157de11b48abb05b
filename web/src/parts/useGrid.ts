import { useCallback, type KeyboardEvent } from 'react';

const MOVES: Record<string, [number, number]> = {
  ArrowUp: [-1, 0],
  ArrowDown: [1, 0],
  ArrowLeft: [0, -1],
  ArrowRight: [0, 1],
};

/** Arrow keys move the focus between the cells of a table that carry data-cell="row,column". */
export function useGrid() {
  return useCallback((event: KeyboardEvent<HTMLElement>) => {
    const move = MOVES[event.key];
    const cell = (event.target as HTMLElement).closest<HTMLElement>('[data-cell]');
    if (!move || !cell) return;
    const [row = 0, column = 0] = (cell.dataset.cell ?? '').split(',').map(Number);
    const next = event.currentTarget.querySelector<HTMLElement>(`[data-cell="${row + move[0]},${column + move[1]}"]`);
    if (!next) return;
    event.preventDefault();
    next.focus();
  }, []);
}
