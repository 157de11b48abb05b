/** A part of a drawing that is pressed, by hand or by key. */

import type { ReactNode } from 'react';

export function Press({
  name,
  onPress,
  pressed,
  children,
}: {
  /** What is read out, and shown when the pointer rests on it. */
  name: string;
  onPress: () => void;
  /** Whether it is the chosen one; left out where nothing is chosen. */
  pressed?: boolean;
  children: ReactNode;
}) {
  return (
    <g
      role="button"
      tabIndex={0}
      aria-label={name}
      aria-pressed={pressed}
      className="cursor-pointer"
      onClick={onPress}
      onKeyDown={(e) => {
        if (e.key !== 'Enter' && e.key !== ' ') return;
        e.preventDefault();
        onPress();
      }}
    >
      <title>{name}</title>
      {children}
    </g>
  );
}
