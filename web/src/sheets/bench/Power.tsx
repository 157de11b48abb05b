/** Power: what each UPS carries, how its minutes are used, what comes back, and a year's energy. */

import { scaleLinear } from 'd3-scale';
import { useState } from 'react';
import type { Items, Schemas, Working } from '../../api/client';
import { usePlan } from '../../api/plan';
import { Differs } from '../../parts/Differs';
import { fill } from '../../drawing/Hatch';
import { Worked } from '../../parts/Asked';
import { WorkingSlip } from '../../parts/WorkingSlip';
import { money, percent, text } from '../../text/format';

export function Power({ onAdd, onOpen }: { onAdd: () => void; onOpen: (supply: Items['supplies']) => void }) {
  const { plan, evaluation } = usePlan();
  const { power } = evaluation;
  const [working, setWorking] = useState<Working | null>(null);
  const hosts = new Map(plan.hosts.map((h) => [h.id, h.name]));
  const names = (ids: readonly string[]) => ids.map((id) => hosts.get(id)).join(', ') || 'nobody';
  return (
    <section aria-label="Power" className="mt-4">
      <div className="flex flex-wrap items-baseline gap-x-4 border-b border-ink">
        <h2>Power</h2>
        <Worked
          name="energy of a year"
          value={`${power.kwh_a_year.toFixed(0)} kWh, ${text(money(power.cost_a_year_minor, plan.currency))}`}
          onOpen={() => setWorking(power.working)}
        />
        <button data-for="plans" className="act mb-0.5 ml-auto" onClick={onAdd}>
          new UPS
        </button>
      </div>
      {plan.supplies.length === 0 && (
        <p className="text-quiet">
          No UPS yet. A short power cut in the middle of a long copy leaves a hung box: with a UPS and its signal cable
          the host is told, waits, unmounts and shuts down.
        </p>
      )}
      {plan.supplies.map((supply) => {
        const view = power.supplies.find((s) => s.id === supply.id);
        return view ? (
          <div key={supply.id} className="grid gap-x-6 border-b border-hair py-1 lg:grid-cols-[1fr_560px]">
            <div>
              <button className="pick font-semibold" onClick={() => onOpen(supply)}>
                {supply.name}
              </button>
              <Differs about={supply.id} /> feeds {names(supply.hosts)}, tells {names(supply.signals)}
              <p>
                <Worked name="load" value={`${view.load_watts.toFixed(0)} W`} onOpen={() => setWorking(view.working)} />
                , {percent(view.load_va_share)} of what it carries;{' '}
                <Worked name="" value={view.why} onOpen={() => setWorking(view.working)} />
              </p>
              {view.without_signal.length > 0 && (
                <p className="font-semibold text-danger">
                  {view.without_signal.join(', ')} is not told: it goes down hard with the battery
                </p>
              )}
              <p className="text-quiet">
                Then: {view.waking.map((w) => `${w.order}. ${w.name} ${w.how}`).join('; ') || 'nothing to wake'}
              </p>
            </div>
            <Minutes supply={supply} view={view} />
          </div>
        ) : null;
      })}
      {plan.supplies.length > 0 && (
        <p className="unit">
          Batteries of a UPS are lead and can deliver a dangerous current when shorted; dispose of them by local rules.
          Do not daisy-chain strips. Anything fixed to the mains is for a licensed electrician.
        </p>
      )}
      <WorkingSlip working={working} onClose={() => setWorking(null)} />
    </section>
  );
}

/** The battery's minutes to scale: waiting, shutting down, spare, and what is not planned with. */
function Minutes({ supply, view }: { supply: Items['supplies']; view: Schemas['SupplyView'] }) {
  const total = Math.max(view.runtime_minutes, supply.delay_minutes + view.shutdown_minutes, 1);
  const x = scaleLinear([0, total], [0, 540]);
  const latest = view.latest_delay_minutes ?? 0;
  const stop = supply.delay_minutes + view.shutdown_minutes;
  return (
    <svg
      viewBox="0 0 556 62"
      width="556"
      className="max-w-full"
      role="img"
      aria-label={`${supply.name}: waits ${supply.delay_minutes} min, all off ${view.shutdown_minutes.toFixed(1)} min later, the battery lasts ${view.runtime_minutes.toFixed(0)} min`}
    >
      <rect x="1" y="20" width={x(view.runtime_minutes)} height="18" fill="var(--paper)" stroke="var(--ink)" />
      <rect x="1" y="20" width={x(supply.delay_minutes)} height="18" fill={fill('data')} stroke="var(--ink)" />
      <rect
        x={1 + x(supply.delay_minutes)}
        y="20"
        width={Math.max(x(view.shutdown_minutes), 1)}
        height="18"
        fill={fill(view.delay_carried ? 'redundancy' : 'clash')}
        stroke="var(--ink)"
      />
      {latest > 0 && <path d={`M${1 + x(latest)} 14 V44`} stroke="var(--danger)" strokeWidth="2" />}
      <text x="1" y="12">
        waits {supply.delay_minutes} min, stops by {stop.toFixed(0)} min
      </text>
      {latest > 0 && (
        <text x={Math.min(1 + x(latest), 540)} y="56" textAnchor={x(latest) > 270 ? 'end' : 'start'}>
          latest safe delay {latest.toFixed(1)} min
        </text>
      )}
      <text x="541" y="12" textAnchor="end">
        battery {view.runtime_minutes.toFixed(0)} min
      </text>
    </svg>
  );
}
