/**
 * Hatches that carry meaning without colour, the same on every sheet: plain tint for data,
 * diagonals for redundancy, dots for what is kept back, dashed emptiness for what is stranded,
 * crossed lines for a clash; level lines for what the system has of a data disk.
 */

export type HatchName = 'system' | 'data' | 'redundancy' | 'reserve' | 'stranded' | 'clash';

export const fill = (name: HatchName): string => `url(#hatch-${name})`;

export function HatchDefs() {
  return (
    <svg width="0" height="0" className="absolute" aria-hidden="true">
      <defs>
        <pattern id="hatch-data" width="8" height="8" patternUnits="userSpaceOnUse">
          <rect width="8" height="8" fill="var(--data)" />
        </pattern>
        <pattern id="hatch-redundancy" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="6" height="6" fill="var(--paper)" />
          <line x1="0" y1="0" x2="0" y2="6" stroke="var(--ink)" strokeWidth="1.6" />
        </pattern>
        <pattern id="hatch-reserve" width="5" height="5" patternUnits="userSpaceOnUse">
          <rect width="5" height="5" fill="var(--paper)" />
          <circle cx="1.5" cy="1.5" r="0.9" fill="var(--ink)" />
        </pattern>
        <pattern id="hatch-stranded" width="10" height="10" patternUnits="userSpaceOnUse">
          <rect width="10" height="10" fill="var(--paper)" />
          <path d="M2 8 L8 2" stroke="var(--line)" strokeWidth="1" strokeDasharray="2 3" />
        </pattern>
        <pattern id="hatch-system" width="8" height="4" patternUnits="userSpaceOnUse">
          <rect width="8" height="4" fill="var(--paper)" />
          <path d="M0 2 H8" stroke="var(--line)" strokeWidth="1" />
        </pattern>
        <pattern id="hatch-clash" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="5" height="5" fill="var(--blush)" />
          <path d="M0 0 H5 M0 0 V5" stroke="var(--danger)" strokeWidth="1.2" />
        </pattern>
      </defs>
    </svg>
  );
}
