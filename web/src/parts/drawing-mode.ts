/** Day paper or night drawing: the reader's choice, else the system's. */

const KEY = 'kavrel-drawing';

export function startDrawing(): void {
  const chosen = localStorage.getItem(KEY);
  const night = chosen ? chosen === 'night' : window.matchMedia('(prefers-color-scheme: dark)').matches;
  document.documentElement.dataset.drawing = night ? 'night' : 'day';
}

export function turnDrawing(): void {
  const next = document.documentElement.dataset.drawing === 'night' ? 'day' : 'night';
  document.documentElement.dataset.drawing = next;
  localStorage.setItem(KEY, next);
}
