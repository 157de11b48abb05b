/** Three copies, two boxes, one elsewhere, one undeletable, none untested: drawn, dataset by dataset. */

import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, unwrap, type Schemas } from '../../api/client';
import { usePlan } from '../../api/plan';
import { Press } from '../../drawing/Press';
import { AskedWorking } from '../../parts/AskedWorking';
import { Empty } from '../../parts/Empty';

type Ladder = Schemas['Ladder'];
type Rung = Schemas['Rung'];
const ROW = 46;
const LEFT = 180;
const COLUMNS = [
  { id: 'disks', title: 'on the same disks', x: LEFT, width: 130 },
  { id: 'box', title: 'in the same box', x: LEFT + 138, width: 120 },
  { id: 'site', title: 'another box, same site', x: LEFT + 266, width: 152 },
  { id: 'away', title: 'elsewhere', x: LEFT + 426, width: 190 },
] as const;
const WIDTH = 1220;

/** How far a copy is from the data: the ring in which it stands. */
function ring(rung: Rung, own: Rung): (typeof COLUMNS)[number]['id'] {
  if (rung.place === own.place && rung.box === own.box) return 'disks';
  if (rung.box === own.box) return 'box';
  return rung.site === own.site ? 'site' : 'away';
}

export function LadderView() {
  const { plan, evaluation } = usePlan();
  const [explained, setExplained] = useState<string | null>(null);
  if (!plan.datasets.length)
    return (
      <Empty title="Three copies, two boxes, one elsewhere">
        Name a dataset first, on Pools or Shares: then how far up it stands is drawn here.
      </Empty>
    );
  const height = 40 + evaluation.ladders.length * ROW + 6;
  const names = new Map(plan.jobs.map((j) => [j.id, j.name]));
  return (
    <div>
      <div className="mb-1 flex flex-wrap items-baseline gap-3">
        <h2>Three copies, two boxes, one elsewhere</h2>
        <span className="text-quiet">
          filled: the data · ring: a copy · dashed: newest state only · struck: counts for nothing · heavy: the source
          cannot delete it · dot: tried
        </span>
      </div>
      <div className="relative overflow-x-auto" role="group" tabIndex={0} aria-label="Three, two, one">
        <svg
          viewBox={`0 0 ${WIDTH} ${height}`}
          width={WIDTH}
          className="block min-w-[1180px]"
          role="group"
          aria-label={`How far up ${evaluation.ladders.length} datasets stand`}
        >
          {COLUMNS.map((c) => (
            <g key={c.id}>
              <text x={c.x + c.width / 2} y="14" textAnchor="middle" fontWeight="650">
                {c.title}
              </text>
              <path d={`M${c.x} 26 V20 H${c.x + c.width} V26`} fill="none" stroke="var(--ink)" />
              <rect
                x={c.x}
                y="30"
                width={c.width}
                height={height - 34}
                fill={c.id === 'away' ? 'var(--desk)' : 'none'}
                stroke="var(--hair)"
              />
            </g>
          ))}
          {evaluation.ladders.map((ladder, n) => (
            <Row
              key={ladder.dataset}
              ladder={ladder}
              y={34 + n * ROW}
              name={plan.datasets.find((d) => d.id === ladder.dataset)?.name ?? ''}
              names={names}
              onExplain={() => setExplained(ladder.dataset)}
            />
          ))}
        </svg>
      </div>
      {explained && (
        <AskedWorking
          about={['ladder', explained]}
          ask={async (plan_id) =>
            unwrap(
              await api.GET('/api/plans/{plan_id}/ladder/working', {
                params: { path: { plan_id }, query: { dataset: explained } },
              }),
            )
          }
          onClose={() => setExplained(null)}
        />
      )}
      <Lookup />
    </div>
  );
}

function Row({
  ladder,
  y,
  name,
  names,
  onExplain,
}: {
  ladder: Ladder;
  y: number;
  name: string;
  names: Map<string, string>;
  onExplain: () => void;
}) {
  const [own, ...copies] = ladder.rungs;
  if (!own) return null;
  const places = new Map<string, Rung[]>(COLUMNS.map((c) => [c.id, [] as Rung[]]));
  for (const copy of copies) places.get(ring(copy, own))?.push(copy);
  const base = y + 22;
  const lacks = ladder.lacks.join(', ');
  const counted = `${ladder.copies} counted, ${ladder.boxes} ${ladder.boxes === 1 ? 'box' : 'boxes'}`;
  return (
    <g>
      <path d={`M0 ${y + ROW - 4} H${WIDTH}`} stroke="var(--hair)" />
      <text x="0" y={y + 16} fontWeight="600">
        {name.length > 24 ? `${name.slice(0, 23)}...` : name}
      </text>
      <Press name={`${counted}, ${name}: show the working`} onPress={onExplain}>
        <rect x="0" y={y + 17} width={LEFT - 40} height="24" fill="transparent" />
        <text
          x="0"
          y={y + 32}
          textDecoration="underline"
          style={{ fill: 'var(--quiet)', textDecorationColor: 'var(--line)', textUnderlineOffset: 3 }}
        >
          {counted}
        </text>
      </Press>
      <rect x={LEFT + 12} y={base - 8} width="16" height="16" fill="var(--ink)">
        <title>{`${name} lives on ${own.place} in ${own.box}`}</title>
      </rect>
      {COLUMNS.map((c) =>
        (places.get(c.id) ?? []).map((rung, n) => {
          const cx = c.x + (c.id === 'disks' ? 52 : 20) + n * 34;
          const title = [
            names.get(rung.job ?? '') ?? '',
            `on ${rung.place} in ${rung.box}`,
            rung.not_counted ? `counts for nothing: ${rung.not_counted}` : '',
            rung.undeletable ?? 'the source can delete it',
            rung.tested_on ? `tried on ${rung.tested_on}${rung.overdue ? ', too long ago' : ''}` : 'never tried',
            rung.versions ? '' : 'newest state only',
          ]
            .filter(Boolean)
            .join('; ');
          return (
            <g key={`${rung.job ?? ''}-${n}`}>
              <title>{title}</title>
              <circle
                cx={cx}
                cy={base}
                r="9"
                fill="var(--paper)"
                stroke={rung.not_counted ? 'var(--line)' : 'var(--ink)'}
                strokeWidth={rung.undeletable && !rung.not_counted ? 4 : 1.5}
                strokeDasharray={rung.versions ? undefined : '3 2'}
              />
              {rung.tested_on && !rung.overdue && <circle cx={cx} cy={base} r="3" fill="var(--ink)" />}
              {rung.not_counted && <path d={`M${cx - 7} ${base + 7} L${cx + 7} ${base - 7}`} stroke="var(--line)" />}
            </g>
          );
        }),
      )}
      <text
        x={LEFT + 632}
        y={y + 16}
        style={{ fill: lacks ? 'var(--danger)' : 'var(--quiet)' }}
        fontWeight={lacks ? 600 : 400}
      >
        {lacks ? ladder.lacks.slice(0, 3).join(', ') : ladder.needed ? 'all there' : 'needs none'}
      </text>
      <text x={LEFT + 632} y={y + 32} style={{ fill: 'var(--danger)' }} fontWeight="600">
        {ladder.lacks.slice(3).join(', ')}
      </text>
    </g>
  );
}

/** The same for those who read: a table of every copy with what it counts for. */
function Lookup() {
  const { plan, evaluation, meta } = usePlan();
  const names = new Map(plan.jobs.map((j) => [j.id, j.name]));
  const sites = new Map(plan.sites.map((s) => [s.id, s.name]));
  // The pairs of the proof say which key goes with which site.
  const pairs = useQuery({
    queryKey: ['pairs', meta.id, meta.revision],
    queryFn: async () =>
      unwrap(await api.GET('/api/plans/{plan_id}/pairs', { params: { path: { plan_id: meta.id } } })),
  });
  const burns = (dataset: string) =>
    pairs.data?.cells.find((c) => c.dataset === dataset && c.hazard === 'fire+key_lost')?.fate === 'lost';
  return (
    <details className="mt-2">
      <summary className="cursor-pointer font-semibold">every copy as a table</summary>
      <table className="w-full">
        <thead>
          <tr className="border-b border-ink">
            <th>Dataset</th>
            <th>Copy</th>
            <th>Where</th>
            <th>Counts</th>
            <th>Undeletable</th>
            <th>Tried</th>
          </tr>
        </thead>
        <tbody>
          {evaluation.ladders.flatMap((l) =>
            l.rungs.slice(1).map((r) => (
              <tr key={`${l.dataset}-${r.job ?? ''}`} className="border-b border-hair">
                <td>
                  {plan.datasets.find((d) => d.id === l.dataset)?.name}
                  {burns(l.dataset) && <span className="text-danger"> (gone with site and key)</span>}
                </td>
                <td className="wrap-anywhere">{names.get(r.job ?? '')}</td>
                <td>
                  {r.place}, {r.box}
                  {r.site && `, ${sites.get(r.site) ?? ''}`}
                </td>
                <td>{r.not_counted ? `no: ${r.not_counted}` : 'yes'}</td>
                <td>{r.undeletable ?? 'no'}</td>
                <td className="figure">{r.tested_on ? `${r.tested_on}${r.overdue ? ', overdue' : ''}` : 'never'}</td>
              </tr>
            )),
          )}
        </tbody>
      </table>
    </details>
  );
}
