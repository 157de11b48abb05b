/** The shuffle as lanes: one a disk or pool, steps from left to right, arrows for what is copied. */

export interface LaneStep {
  key: string;
  number: number;
  verb: string;
  source: string;
  target: string;
  lanes: string[];
  hours: number;
  alarm: boolean;
}
export interface MoveLane {
  id: string;
  label: string;
  below: string;
  pool: boolean;
}

const LEFT = 150;
const TOP = 30;
const ROW = 34;
const WIDEST = 1060;

export function MoveLanes({
  lanes,
  steps,
  counts,
  title,
}: {
  lanes: MoveLane[];
  steps: LaneStep[];
  /** Least number of whole copies after each step. */
  counts: number[];
  title: string;
}) {
  const step = Math.min(150, Math.max(76, WIDEST / Math.max(1, steps.length)));
  const width = LEFT + steps.length * step + 20;
  const base = TOP + lanes.length * ROW;
  const y = (id: string) => TOP + lanes.findIndex((l) => l.id === id) * ROW + ROW / 2;
  return (
    <div className="overflow-x-auto">
      <svg viewBox={`0 0 ${width} ${base + 30}`} width={width} height={base + 30} role="img" aria-label={title}>
        <defs>
          <marker id="arrow" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="8" markerHeight="8" orient="auto">
            <path d="M0 0 L8 4 L0 8 Z" fill="var(--ink)" />
          </marker>
        </defs>
        {lanes.map((lane) => (
          <g key={lane.id}>
            <text x="0" y={y(lane.id) - 1} fontWeight="650">
              {short(lane.label)}
            </text>
            <text x="0" y={y(lane.id) + 12} style={{ fill: 'var(--quiet)' }}>
              {short(lane.below)}
            </text>
            <path
              d={`M${LEFT} ${y(lane.id)} H${width - 10}`}
              stroke="var(--ink)"
              strokeWidth={lane.pool ? 3 : 1}
              opacity={lane.pool ? 1 : 0.45}
            />
          </g>
        ))}
        {steps.map((s, n) => {
          const x = LEFT + n * step + step / 2;
          return (
            <g key={s.key}>
              <path d={`M${x + step / 2} ${TOP - 6} V${base}`} stroke="var(--hair)" />
              <text x={x} y="14" textAnchor="middle" fontWeight="650">
                {s.number}. {s.verb}
              </text>
              {s.verb === 'copy' && s.source && s.target ? (
                <>
                  <circle cx={x} cy={y(s.source)} r="4" fill="var(--paper)" stroke="var(--ink)" strokeWidth="1.5" />
                  <path
                    d={`M${x} ${y(s.source) + (y(s.target) > y(s.source) ? 5 : -5)} V${y(s.target) + (y(s.target) > y(s.source) ? -2 : 2)}`}
                    stroke="var(--ink)"
                    strokeWidth="1.5"
                    markerEnd="url(#arrow)"
                  />
                </>
              ) : (
                s.lanes.map((lane) =>
                  lanes.some((l) => l.id === lane) ? <Sign key={lane} verb={s.verb} x={x} y={y(lane)} /> : null,
                )
              )}
              <text
                x={x}
                y={base + 18}
                textAnchor="middle"
                className="figure"
                fontWeight={s.alarm ? 700 : 400}
                style={{ fill: s.alarm ? 'var(--danger)' : 'var(--ink)' }}
              >
                {counts[n]}
              </text>
            </g>
          );
        })}
        <text x="0" y={base + 18}>
          fewest whole copies
        </text>
      </svg>
    </div>
  );
}

/** A cross for a wipe, a square for a disk that joins a pool. */
function Sign({ verb, x, y }: { verb: string; x: number; y: number }) {
  if (verb === 'wipe')
    return (
      <g>
        <rect x={x - 8} y={y - 8} width="16" height="16" fill="var(--paper)" />
        <path d={`M${x - 6} ${y - 6} l12 12 M${x + 6} ${y - 6} l-12 12`} stroke="var(--danger)" strokeWidth="2.5" />
      </g>
    );
  return <rect x={x - 6} y={y - 6} width="12" height="12" fill="var(--data)" stroke="var(--ink)" strokeWidth="1.5" />;
}

const short = (label: string) => (label.length > 22 ? `${label.slice(0, 21)}...` : label);
