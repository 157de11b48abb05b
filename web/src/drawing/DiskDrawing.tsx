/** Disks drawn to scale, each cut into data, redundancy, reserve and stranded space, and a system's own part. */

import { scaleLinear } from 'd3-scale';
import { decimal, text } from '../text/format';
import { fill, type HatchName } from './Hatch';

export interface DrawnDisk {
  id: string;
  label: string;
  below: string;
  bytes: number;
  group: number;
  parts: Partial<Record<HatchName, number>>;
}

const ORDER: HatchName[] = ['system', 'data', 'redundancy', 'reserve', 'stranded'];
const HEIGHT = 250;
const TOP = 34;
const LEFT = 54;

export function DiskDrawing({ disks, caption, title }: { disks: DrawnDisk[]; caption: string; title: string }) {
  const largest = Math.max(1, ...disks.map((d) => d.bytes));
  const y = scaleLinear([0, largest], [0, HEIGHT]);
  const step = Math.min(84, 452 / Math.max(1, disks.length));
  const bar = step * 0.68;
  // Labels stand on end where the bars are narrower than they are wide.
  const upright = step >= 44;
  const foot = upright ? 42 : 96;
  let x = LEFT;
  const places = disks.map((disk, n) => {
    if (n && disk.group !== disks[n - 1]?.group) x += step * 0.3;
    const found = { disk, x };
    x += step;
    return found;
  });
  const width = x + 8;
  const base = TOP + HEIGHT;
  const last = places.at(-1);
  return (
    <svg viewBox={`0 0 ${width} ${base + foot}`} width={width} className="max-w-full" role="img" aria-label={title}>
      {last && (
        <g>
          <path d={`M${LEFT} 16 H${last.x + bar}`} stroke="var(--ink)" />
          <path d={`M${LEFT} 12 v8 M${last.x + bar} 12 v8`} stroke="var(--ink)" />
          <rect
            x={(LEFT + last.x + bar) / 2 - caption.length * 3.4 - 6}
            y="5"
            width={caption.length * 6.8 + 12}
            height="22"
            fill="var(--paper)"
          />
          <text x={(LEFT + last.x + bar) / 2} y="20" textAnchor="middle" fontWeight="650">
            {caption}
          </text>
        </g>
      )}
      <path d={`M28 ${base - y(largest)} V${base} M24 ${base - y(largest)} h8 M24 ${base} h8`} stroke="var(--ink)" />
      <text x="18" y={base - HEIGHT / 2} textAnchor="middle" transform={`rotate(-90 18 ${base - HEIGHT / 2})`}>
        {text(decimal(largest))}
      </text>
      {places.map(({ disk, x: left }) => {
        let bottom = base;
        return (
          <g key={disk.id}>
            {ORDER.map((part) => {
              const bytes = disk.parts[part] ?? 0;
              const height = y(bytes);
              bottom -= height;
              return bytes > 0 ? (
                <rect
                  key={part}
                  x={left}
                  y={bottom}
                  width={bar}
                  height={Math.max(height, 0.5)}
                  fill={fill(part)}
                  stroke="var(--ink)"
                  strokeWidth={part === 'stranded' ? 0.75 : 1}
                  strokeDasharray={part === 'stranded' ? '4 3' : undefined}
                >
                  <title>{`${disk.label}: ${part} ${text(decimal(bytes))}`}</title>
                </rect>
              ) : null;
            })}
            {upright ? (
              <>
                <text x={left + bar / 2} y={base + 16} textAnchor="middle" fontWeight="650">
                  {short(disk.label)}
                </text>
                <text x={left + bar / 2} y={base + 32} textAnchor="middle" style={{ fill: 'var(--quiet)' }}>
                  {disk.below}
                </text>
              </>
            ) : (
              <text transform={`translate(${left + bar / 2 + 4} ${base + 6}) rotate(-90)`} textAnchor="end">
                <tspan fontWeight="650">{short(disk.label)}</tspan>{' '}
                <tspan style={{ fill: 'var(--quiet)' }}>{disk.below}</tspan>
              </text>
            )}
          </g>
        );
      })}
      <path d={`M${LEFT - 12} ${base} H${width - 8}`} stroke="var(--ink)" strokeWidth="1.5" />
    </svg>
  );
}

const short = (label: string) => (label.length > 11 ? `${label.slice(0, 10)}...` : label);

const MEANING: Record<string, string> = {
  system: 'the system that boots from it',
  data: 'data',
  redundancy: 'redundancy',
  reserve: 'kept back',
  stranded: 'stranded',
};

/** What each hatch means, with its bytes over all disks drawn. */
export function HatchLegend({ disks }: { disks: DrawnDisk[] }) {
  return (
    <ul className="flex flex-wrap gap-x-5 gap-y-1">
      {ORDER.filter((part) => part !== 'system' || disks.some((d) => d.parts.system)).map((part) => (
        <li key={part} className="flex items-center gap-1.5">
          <svg width="16" height="12" aria-hidden="true">
            <rect x="0.5" y="0.5" width="15" height="11" fill={fill(part)} stroke="var(--ink)" />
          </svg>
          {MEANING[part]}
          <span className="figure">{text(decimal(disks.reduce((sum, d) => sum + (d.parts[part] ?? 0), 0)))}</span>
        </li>
      ))}
    </ul>
  );
}
