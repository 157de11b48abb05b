import { useEffect, useRef } from 'react';

/** Single keys for actions; silent while something is typed or a slip lies open. */
export function useKeys(actions: Record<string, () => void>): void {
  const latest = useRef(actions);
  useEffect(() => {
    latest.current = actions;
  });
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      if (event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented) return;
      if (target.closest('input:not([type="checkbox"]), textarea, select, [role="dialog"]')) return;
      const action = latest.current[event.key];
      if (!action) return;
      event.preventDefault();
      action();
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, []);
}
