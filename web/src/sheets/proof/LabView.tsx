/** Over the years: what each dataset loses, by cause, and what to change first. */

import { useState } from 'react';
import type { Schemas, Working } from '../../api/client';
import { usePlan } from '../../api/plan';
import { useQuestion } from '../../api/questions';
import { Progress, Told, Worked } from '../../parts/Asked';
import { Pick } from '../../parts/Pick';
import { WorkingSlip } from '../../parts/WorkingSlip';
import { money, odds, text } from '../../text/format';

const LIFETIMES = [5_000, 20_000, 100_000];
const spaced = (n: number) => String(Math.round(n)).replace(/\B(?=(\d{3})+(?!\d))/g, ' ');
const days = (n: number) => (n === 0 ? '0' : n < 10 ? n.toFixed(1) : spaced(n));

type Order = 'per_hour' | 'per_money' | 'avoided';
const ORDERS = [
  { value: 'per_hour', label: 'per hour of work' },
  { value: 'per_money', label: 'per money' },
  { value: 'avoided', label: 'by loss avoided' },
] as const;

export function LabView() {
  const { plan } = usePlan();
  const [years, setYears] = useState(5);
  const [lifetimes, setLifetimes] = useState(20_000);
  const [working, setWorking] = useState<Working | null>(null);
  const asking = useQuestion<'lab'>({ kind: 'lab', years, lifetimes });
  const lives = asking.answer?.lives;
  return (
    <div>
      <div className="mb-1 flex flex-wrap items-baseline gap-3">
        <h2>The lab lived through</h2>
        <span className="text-quiet">
          disks, boxes, sites, people, malware, silent jobs, late replacement; the same seed gives the same answer
        </span>
        <span className="ml-auto flex gap-3">
          <Pick
            word="over"
            label="Years"
            value={years}
            options={[1, 3, 5, 10].map((y) => ({ value: y, label: y === 1 ? '1 year' : `${y} years` }))}
            onPick={setYears}
          />
          <Pick
            word="lived"
            label="Lifetimes"
            value={lifetimes}
            options={LIFETIMES.map((n) => ({ value: n, label: `${spaced(n)} times` }))}
            onPick={setLifetimes}
          />
        </span>
      </div>
      <Progress asking={asking} what="living through the lifetimes" />
      {lives && (
        <>
          <p className="mb-2">
            An irreplaceable dataset is lost whole: <b className="figure">{odds(lives.any_odds)}</b> in {lives.years}{' '}
            years (95 % interval {odds(lives.low)} to {odds(lives.high)}).{' '}
            <Worked
              name="Expected loss"
              value={`${spaced(lives.money)} ${plan.currency}`}
              onOpen={() => setWorking(lives.working)}
            />
            , by the worth that you gave to data and work.
          </p>
          <div className="grid gap-x-8 gap-y-3 xl:grid-cols-2">
            <Losses lives={lives} onWorking={setWorking} />
            <Changes lives={lives} onWorking={setWorking} />
          </div>
        </>
      )}
      <WorkingSlip working={working} onClose={() => setWorking(null)} />
    </div>
  );
}

type Shown = { lives: Schemas['LabLives']; onWorking: (working: Working) => void };

function Losses({ lives, onWorking }: Shown) {
  const { plan } = usePlan();
  const names = new Map(plan.datasets.map((d) => [d.id, d.name]));
  return (
    <section aria-label="Losses by dataset">
      <h3>What each dataset loses in {lives.years} years</h3>
      <table className="w-full">
        <thead>
          <tr className="border-b border-ink">
            <th>Dataset</th>
            <th className="text-right">All of it</th>
            <th className="text-right">A part</th>
            <th className="text-right">Days of work: mean</th>
            <th className="text-right">1 in 10</th>
            <th className="text-right">1 in 100</th>
            <th className="pl-3">Most often by</th>
          </tr>
        </thead>
        <tbody>
          {lives.datasets.map((d) => (
            <tr key={d.dataset} className="border-b border-hair align-baseline">
              <td className="wrap-anywhere">{names.get(d.dataset)}</td>
              <td
                className="figure text-right whitespace-nowrap"
                title={`95 % interval ${odds(d.low)} to ${odds(d.high)}`}
              >
                <Told onOpen={() => onWorking(d.working)}>{odds(d.whole_odds)}</Told>
              </td>
              <td className="figure text-right whitespace-nowrap">{odds(d.part_odds)}</td>
              <td className="figure pl-2 text-right whitespace-nowrap">{days(d.days_mean)} d</td>
              <td className="figure pl-2 text-right whitespace-nowrap">{days(d.days_p90)} d</td>
              <td className="figure pl-2 text-right whitespace-nowrap">{days(d.days_p99)} d</td>
              <td className="pl-3 text-quiet">
                {d.causes
                  .filter((c) => c.lost_odds > 0)
                  .slice(0, 2)
                  .map((c) => `${c.title} ${odds(c.lost_odds)}`)
                  .join(', ') || 'nothing seen'}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="unit">
        Work is lost when a copy older than the data is used; “1 in 10”: so much or more in the worst tenth of
        lifetimes.
      </p>
    </section>
  );
}

function Changes({ lives, onWorking }: Shown) {
  const { plan } = usePlan();
  const [order, setOrder] = useState<Order>('per_hour');
  const value = (c: Schemas['FirstChange']) => c[order] ?? Infinity;
  const changes = lives.changes
    .filter((c) => c.avoided > 0)
    .sort((a, b) => (value(a) === value(b) ? b.avoided - a.avoided : value(b) > value(a) ? 1 : -1));
  const idle = lives.changes.length - changes.length;
  return (
    <section aria-label="What to change first">
      <div className="flex items-baseline gap-3">
        <h3>What to change first</h3>
        <span className="ml-auto">
          <Pick word="ranked" label="ranked" value={order} options={ORDERS} onPick={setOrder} />
        </span>
      </div>
      <table className="w-full">
        <thead>
          <tr className="border-b border-ink">
            <th>Change</th>
            <th className="text-right">Loss avoided</th>
            <th className="text-right">Money</th>
            <th className="text-right">Work</th>
          </tr>
        </thead>
        <tbody>
          {changes.map((c) => (
            <tr key={c.what} className="border-b border-hair align-baseline">
              <td>
                {c.what} <span className="unit">{c.sheet}</span>
              </td>
              <td className="figure text-right whitespace-nowrap">
                <Told onOpen={() => onWorking(c.working)}>{spaced(c.avoided)}</Told>{' '}
                <span className="unit">{plan.currency}</span>
              </td>
              <td className="figure text-right whitespace-nowrap">
                {c.money_minor ? text(money(c.money_minor, plan.currency)) : 'none'}
              </td>
              <td className="figure text-right whitespace-nowrap">{c.hours.toFixed(1)} h</td>
            </tr>
          ))}
          {changes.length === 0 && (
            <tr>
              <td colSpan={4} className="text-quiet">
                No change of those known here avoids any loss.
              </td>
            </tr>
          )}
        </tbody>
      </table>
      {idle > 0 && <p className="unit">{idle} more were tried and avoid nothing that can be told from chance.</p>}
    </section>
  );
}
