import { useEffect, useRef } from 'react';
import { singleKeysAct } from './single-keys';

/** Single keys for actions; silent while something is typed, a slip lies open, or they are switched off. */
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
      if (event.key.length === 1 && !singleKeysAct()) return;
      const action = latest.current[event.key];
      if (!action) return;
      event.preventDefault();
      action();
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, []);
}
