/** The route map: places across, datasets as lines that call at each of their copies. */

import { usePlan } from '../../api/plan';
import { Press } from '../../drawing/Press';

interface Station {
  key: string;
  name: string;
  site: string;
  box: string;
}

const LEFT = 170;
const ROW = 24;
const TOP = 56;

export function RouteMap({ selected, onSelect }: { selected: string | null; onSelect: (job: string) => void }) {
  const { plan, evaluation } = usePlan();
  const kinds = new Map(evaluation.kinds.map((k) => [k.id, k]));
  const sites = new Map(plan.sites.map((s) => [s.id, s.name]));
  const hosts = new Map(plan.hosts.map((h) => [h.id, h]));
  const stations: Station[] = [];
  for (const site of plan.sites) {
    for (const pool of plan.pools) {
      const host = hosts.get(pool.host);
      if (host?.site === site.id)
        stations.push({ key: `pool/${pool.id}`, name: pool.name, site: site.id, box: host.name });
    }
    for (const disk of plan.disks) {
      const where = disk.host ? hosts.get(disk.host)?.site : disk.shelf;
      if (where === site.id && plan.jobs.some((j) => j.target_disk === disk.id))
        stations.push({
          key: `disk/${disk.id}`,
          name: disk.label,
          site: site.id,
          box: disk.host ? 'in a bay' : 'shelf',
        });
    }
    for (const bucket of plan.buckets) {
      if (bucket.site === site.id)
        stations.push({ key: `bucket/${bucket.id}`, name: bucket.name, site: site.id, box: 'bucket' });
    }
  }
  const column = Math.max(120, Math.min(200, 880 / Math.max(1, stations.length)));
  const x = new Map(stations.map((s, n) => [s.key, LEFT + column * (n + 0.5)]));
  const width = LEFT + column * stations.length + 10;
  const height = TOP + ROW * plan.datasets.length + 8;
  const spanOf = (site: string) => {
    const own = stations.filter((s) => s.site === site);
    const first = own[0];
    const last = own.at(-1);
    return first && last
      ? {
          from: (x.get(first.key) ?? 0) - column / 2 + 4,
          to: (x.get(last.key) ?? 0) + column / 2 - 4,
        }
      : null;
  };
  return (
    <svg
      viewBox={`0 0 ${width} ${height}`}
      width={width}
      className="max-w-full"
      role="group"
      aria-label="Route map of copies"
    >
      {plan.sites.map((site) => {
        const range = spanOf(site.id);
        return range ? (
          <g key={site.id}>
            <path d={`M${range.from} 16 V10 H${range.to} V16`} fill="none" stroke="var(--ink)" />
            <text
              x={(range.from + range.to) / 2}
              y="9"
              textAnchor="middle"
              fontWeight="650"
              style={{ paintOrder: 'stroke', stroke: 'var(--paper)', strokeWidth: 10 }}
            >
              {sites.get(site.id)}
            </text>
          </g>
        ) : null;
      })}
      {stations.map((s) => (
        <g key={s.key}>
          <text x={x.get(s.key)} y="32" textAnchor="middle" fontWeight="650">
            {s.name}
          </text>
          <text x={x.get(s.key)} y="46" textAnchor="middle" style={{ fill: 'var(--quiet)' }}>
            {s.box}
          </text>
          <path d={`M${x.get(s.key) ?? 0} ${TOP - 4} V${height - 6}`} stroke="var(--hair)" />
        </g>
      ))}
      {plan.datasets.map((d, row) => {
        const y = TOP + ROW * (row + 0.5);
        const home = x.get(`pool/${d.pool}`) ?? 0;
        const jobs = plan.jobs.filter((j) => j.datasets.includes(d.id) && kinds.get(j.kind)?.copies);
        const stops = jobs
          .filter((j) => !kinds.get(j.kind)?.in_place)
          .map((job) => ({
            job,
            at:
              x.get(
                job.target_disk
                  ? `disk/${job.target_disk}`
                  : job.target_bucket
                    ? `bucket/${job.target_bucket}`
                    : `pool/${job.target_pool ?? ''}`,
              ) ?? home,
          }));
        const all = [home, ...stops.map((s) => s.at)];
        // Two copies at one place stand side by side.
        const seen = new Map<number, number>();
        return (
          <g key={d.id}>
            <text x="0" y={y + 4} fontWeight="600">
              {d.name.length > 24 ? `${d.name.slice(0, 23)}...` : d.name}
            </text>
            {stops.length > 0 && (
              <path
                d={`M${Math.min(...all)} ${y} H${Math.max(...all)}`}
                stroke="var(--ink)"
                strokeWidth={d.worth === 'irreplaceable' ? 3 : 1.5}
              />
            )}
            <rect x={home - 6} y={y - 6} width="12" height="12" fill="var(--ink)">
              <title>{`${d.name} lives here`}</title>
            </rect>
            {jobs
              .filter((j) => kinds.get(j.kind)?.in_place)
              .map((j, n) => (
                <Press
                  key={j.id}
                  name={`${j.name}: snapshots`}
                  pressed={selected === j.id}
                  onPress={() => onSelect(j.id)}
                >
                  <path
                    d={`M${home + 11 + n * 14} ${y - 5} v10 m3 -10 v10 m3 -10 v10`}
                    stroke={selected === j.id ? 'var(--accent)' : 'var(--ink)'}
                    strokeWidth="1.6"
                    fill="none"
                  />
                  <rect x={home + 8 + n * 14} y={y - 9} width="13" height="18" fill="transparent" />
                </Press>
              ))}
            {stops.map(({ job, at }) => {
              const before = seen.get(at) ?? 0;
              seen.set(at, before + 1);
              const cx = at + before * 18;
              const kind = kinds.get(job.kind);
              // A repository keeps versions in a store of its own; a mirror has the newest state alone.
              const repository = kind?.versions && !kind.snapshots;
              const newest = kind && !kind.versions;
              const stroke = selected === job.id ? 'var(--accent)' : 'var(--ink)';
              return (
                <Press
                  key={job.id}
                  name={`${job.name}: ${job.kind} of ${d.name}`}
                  pressed={selected === job.id}
                  onPress={() => onSelect(job.id)}
                >
                  {job.target_disk || job.target_bucket ? (
                    <path
                      d={`M${cx - 7} ${y + 6} h14 M${cx - 5} ${y + 5} v-11 h10 v11`}
                      fill="var(--paper)"
                      stroke={stroke}
                      strokeWidth="2"
                    />
                  ) : (
                    <circle
                      cx={cx}
                      cy={y}
                      r="7"
                      fill={repository ? 'url(#hatch-redundancy)' : 'var(--paper)'}
                      strokeDasharray={newest ? '3 2' : undefined}
                      stroke={stroke}
                      strokeWidth={selected === job.id ? 3 : 2}
                    />
                  )}
                  {job.encrypted && <path d={`M${cx - 3} ${y} h6`} stroke={stroke} strokeWidth="3" />}
                </Press>
              );
            })}
          </g>
        );
      })}
    </svg>
  );
}
