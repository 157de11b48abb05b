/** Plots over years: lines told apart by their dashes, areas, bands, marks. Knows only numbers. */

import { scaleLinear, scaleLog } from 'd3-scale';
import { area, curveStepAfter, line } from 'd3-shape';

export interface PlotLine {
  name: string;
  points: { x: number; y: number }[];
  /** Drawn as steps: what is bought stays. */
  steps?: boolean;
  dash?: string;
  weight?: number;
}
export interface PlotMark {
  x: number;
  y: number;
  text: string;
  alarm?: boolean;
}

const RIGHT = 20;
const TOP = 14;
const BOTTOM = 24;
/** Keeps words legible where a line runs behind them. */
const HALO = { paintOrder: 'stroke', stroke: 'var(--paper)', strokeWidth: 4, strokeLinejoin: 'round' } as const;
/** Dashes for up to four lines, in this order on every plot. */
export const DASHES = ['', '7 3', '2 3', '9 3 2 3'];

export function Plot({
  title,
  width,
  height,
  xLabels,
  lines,
  filled,
  band,
  rules = [],
  marks = [],
  log = false,
  show,
}: {
  title: string;
  width: number;
  height: number;
  /** Ticks of the x axis, each at its x. */
  xLabels: { x: number; text: string }[];
  lines: PlotLine[];
  filled?: { x: number; y: number }[];
  band?: { x: number; low: number; high: number }[];
  rules?: { y: number; text: string }[];
  marks?: PlotMark[];
  log?: boolean;
  show: (y: number) => string;
}) {
  const xs = [...lines.flatMap((l) => l.points), ...(filled ?? [])].map((p) => p.x);
  const ys = [
    ...lines.flatMap((l) => l.points.map((p) => p.y)),
    ...(filled ?? []).map((p) => p.y),
    ...(band ?? []).flatMap((p) => [p.low, p.high]),
    ...rules.map((r) => r.y),
  ];
  const positive = ys.filter((v) => v > 0);
  const low = log ? Math.min(...positive, 1) / 1.5 : 0;
  const high = Math.max(...ys, low * 10, log ? 1e-9 : 1) * (log ? 1.5 : 1.06);
  const y = (log ? scaleLog : scaleLinear)([low, high], [height - BOTTOM, TOP]);
  const at = (v: number) => y(log ? Math.max(v, low) : v);
  // Room for the longest label of the axis.
  const ticks = log ? everyDecade(low, high) : y.ticks(4);
  const left = 14 + Math.max(...ticks.map((t) => show(t).length), 4) * 7.3;
  const x = scaleLinear([Math.min(...xs), Math.max(...xs)], [left, width - RIGHT]);
  const path = (points: PlotLine['points'], steps = false) => {
    const made = line<{ x: number; y: number }>(
      (p) => x(p.x),
      (p) => at(p.y),
    );
    return (steps ? made.curve(curveStepAfter) : made)(points) ?? '';
  };
  return (
    <svg viewBox={`0 0 ${width} ${height}`} width={width} className="max-w-full" role="img" aria-label={title}>
      {ticks.map((t) => (
        <g key={t}>
          <path d={`M${left} ${at(t)} H${width - RIGHT}`} stroke="var(--hair)" />
          <text x={left - 6} y={at(t) + 4} textAnchor="end" className="figure">
            {show(t)}
          </text>
        </g>
      ))}
      {xLabels.map((t) => (
        <g key={t.text}>
          <path d={`M${x(t.x)} ${height - BOTTOM} v4`} stroke="var(--ink)" />
          <text x={x(t.x)} y={height - 6} textAnchor="middle" style={{ fill: 'var(--quiet)' }}>
            {t.text}
          </text>
        </g>
      ))}
      {filled && (
        <path
          d={
            area<{ x: number; y: number }>(
              (p) => x(p.x),
              at(low),
              (p) => at(p.y),
            )(filled) ?? ''
          }
          fill="var(--data)"
          stroke="var(--ink)"
        />
      )}
      {band && (
        <path
          d={
            area<{ x: number; low: number; high: number }>(
              (p) => x(p.x),
              (p) => at(p.low),
              (p) => at(p.high),
            )(band) ?? ''
          }
          fill="var(--data)"
        />
      )}
      {rules.map((r) => (
        <g key={r.text}>
          <path d={`M${left} ${at(r.y)} H${width - RIGHT}`} stroke="var(--ink)" strokeDasharray="4 3" />
          <text x={width - RIGHT} y={at(r.y) - 4} textAnchor="end" style={{ fill: 'var(--quiet)', ...HALO }}>
            {r.text}
          </text>
        </g>
      ))}
      {lines.map((l, n) => (
        <path
          key={l.name}
          d={path(l.points, l.steps)}
          fill="none"
          stroke="var(--ink)"
          strokeWidth={l.weight ?? 1.5}
          strokeDasharray={l.dash ?? DASHES[n % DASHES.length]}
        >
          <title>{l.name}</title>
        </path>
      ))}
      {marks.map((m) => (
        <g key={m.text}>
          <circle
            cx={x(m.x)}
            cy={at(m.y)}
            r="4"
            fill="var(--paper)"
            stroke={m.alarm ? 'var(--danger)' : 'var(--ink)'}
            strokeWidth="2"
          />
          <text
            x={x(m.x) - left > m.text.length * 6.6 ? x(m.x) - 8 : x(m.x) + 8}
            y={at(m.y) - 8}
            textAnchor={x(m.x) - left > m.text.length * 6.6 ? 'end' : 'start'}
            fontWeight="650"
            style={{ fill: m.alarm ? 'var(--danger)' : 'var(--ink)', ...HALO }}
          >
            {m.text}
          </text>
        </g>
      ))}
      <path d={`M${left} ${TOP} V${height - BOTTOM} H${width - RIGHT}`} fill="none" stroke="var(--ink)" />
    </svg>
  );
}

/** Powers of ten within the bounds; every second where there are many. */
function everyDecade(low: number, high: number): number[] {
  const first = Math.ceil(Math.log10(low));
  const last = Math.floor(Math.log10(high));
  const apart = last - first > 5 ? 2 : 1;
  return Array.from(
    { length: Math.max(0, Math.floor((last - first) / apart) + 1) },
    (_, n) => 10 ** (first + n * apart),
  );
}

/** Which dash is which line. */
export function DashLegend({ lines }: { lines: { name: string; dash?: string }[] }) {
  return (
    <ul className="flex flex-wrap gap-x-5 gap-y-1">
      {lines.map((l, n) => (
        <li key={l.name} className="flex items-center gap-1.5">
          <svg width="30" height="8" aria-hidden="true">
            <path
              d="M0 4 H30"
              stroke="var(--ink)"
              strokeWidth="1.5"
              strokeDasharray={l.dash ?? DASHES[n % DASHES.length]}
            />
          </svg>
          {l.name}
        </li>
      ))}
    </ul>
  );
}
