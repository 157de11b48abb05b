/** What a drawn layout gives, survives, takes and costs: each figure with its working. */

import type { Layout, Working } from '../../api/client';
import { usePlan } from '../../api/plan';
import { Worked } from '../../parts/Asked';
import { binary, money, odds, oddsRange, percents, size, text } from '../../text/format';

const rate = (speed: number) => `${speed.toFixed(0)} MB/s`;
const count = (n: number) => (n < 10 ? n.toFixed(1) : n.toFixed(0).replace(/\B(?=(\d{3})+(?!\d))/g, ' '));
const hours = (h: number | null) => (h === null ? 'none' : `${h.toFixed(1)} h`);

/** Of all ways to lose so many disks, how many are survived: counted, not estimated. */
export function survivalWords(layout: Layout): string {
  return layout.survival
    .map(
      (s) =>
        `${s.lost} lost: ${s.survived === s.sets ? 'always' : s.survived ? `${s.survived} of ${s.sets} ways` : 'never'}`,
    )
    .join(', ');
}

export function LayoutFacts({ layout, onWorking }: { layout: Layout; onWorking: (working: Working) => void }) {
  const { plan } = usePlan();
  const { speeds } = layout;
  const open = (working: Working) => () => onWorking(working);
  return (
    <dl className="mt-2 grid grid-cols-[104px_1fr] gap-x-3 gap-y-0.5">
      <dt className="text-quiet">Room</dt>
      <dd className="flex flex-wrap gap-x-4">
        <Worked
          name="usable"
          value={`${size(layout.usable_bytes)}, ${text(binary(layout.usable_bytes))}`}
          onOpen={open(layout.working)}
        />
        {layout.holds_bytes > layout.usable_bytes && (
          <span>
            holds <span className="figure">{size(layout.holds_bytes)}</span> compressed
          </span>
        )}
        {layout.stranded_bytes > 0 && (
          <span>
            stranded <span className="figure">{size(layout.stranded_bytes)}</span>, paid{' '}
            <span className="figure">{text(money(layout.stranded_cost_minor, plan.currency))}</span>
          </span>
        )}
      </dd>
      <dt className="text-quiet">Survives</dt>
      <dd className="flex flex-wrap gap-x-4">
        <span className="figure">{survivalWords(layout)}</span>
        <span>beyond that {layout.remains === 'nothing' ? 'all is lost' : `${layout.remains} stay`}</span>
      </dd>
      <dt className="text-quiet">Odds</dt>
      <dd className="flex flex-wrap gap-x-4">
        <Worked name="lost within 5 years" value={odds(layout.loss_odds_5y)} onOpen={open(layout.odds_working)} />
        {layout.damage_odds_5y > 0 && (
          <Worked
            name="a file damaged while rebuilding"
            value={oddsRange(layout.damage_odds_5y, layout.damage_at_most_5y)}
            onOpen={open(layout.damage_working)}
          />
        )}
        {layout.read_error_odds !== null && (
          <span>
            unreadable sector in one such rebuild{' '}
            <span className="figure">
              {percents(layout.read_error_odds, layout.read_error_at_most ?? layout.read_error_odds)}
            </span>
          </span>
        )}
      </dd>
      <dt className="text-quiet">Hours</dt>
      <dd className="flex flex-wrap gap-x-4">
        {layout.rebuild_hours === null ? (
          <span>nothing to rebuild from</span>
        ) : (
          <Worked name="rebuild" value={`${layout.rebuild_hours.toFixed(1)} h`} onOpen={open(layout.rebuild_working)} />
        )}
        <span>
          surface check <span className="figure">{hours(layout.surface_hours)}</span>
        </span>
        <span>
          first sync <span className="figure">{hours(layout.sync_hours)}</span>
        </span>
        <span>
          scrub <span className="figure">{hours(layout.scrub_hours)}</span>
        </span>
      </dd>
      <dt className="text-quiet">Streams</dt>
      <dd>
        <Worked name="read" value={rate(speeds.read_mb_per_s)} onOpen={open(layout.speed_working)} />, write{' '}
        <span className="figure">{rate(speeds.write_mb_per_s)}</span>
        {speeds.degraded_read_mb_per_s !== null && (
          <>
            ; one disk missing <span className="figure">{rate(speeds.degraded_read_mb_per_s)}</span> and{' '}
            <span className="figure">{rate(speeds.degraded_write_mb_per_s ?? 0)}</span>
          </>
        )}
        ; {speeds.slowest} sets the pace
      </dd>
      <dt className="text-quiet">Small random</dt>
      <dd>
        read <span className="figure">{count(speeds.read_iops)} IOPS</span>, write{' '}
        <span className="figure">{count(speeds.write_iops)} IOPS</span>
        {speeds.degraded_read_iops !== null && (
          <>
            ; one disk missing <span className="figure">{count(speeds.degraded_read_iops)}</span> and{' '}
            <span className="figure">{count(speeds.degraded_write_iops ?? 0)} IOPS</span>
          </>
        )}
      </dd>
      <dt className="text-quiet">Takes</dt>
      <dd className="flex flex-wrap gap-x-4">
        <Worked name="memory advised" value={`${layout.ram_gib.toFixed(0)} GiB`} onOpen={open(layout.ram_working)} />
        <Worked
          name="power at work"
          value={`${layout.active_watts.toFixed(0)} W`}
          onOpen={open(layout.power_working)}
        />
        <span>
          idle <span className="figure">{layout.idle_watts.toFixed(0)} W</span>
        </span>
      </dd>
      <dt className="text-quiet">Grows</dt>
      <dd>{layout.grows}</dd>
    </dl>
  );
}
