/** Odds over the years: the chain beside lifetimes with wear, age and bad batches, and what one change buys. */

import { useState } from 'react';
import type { Items, Working } from '../../api/client';
import { usePlan } from '../../api/plan';
import { useQuestion } from '../../api/questions';
import { Plot } from '../../drawing/Plot';
import { Progress, Worked } from '../../parts/Asked';
import { Pick } from '../../parts/Pick';
import { WorkingSlip } from '../../parts/WorkingSlip';
import { money, odds, oddsRange, text } from '../../text/format';

const LIFETIMES = [50_000, 200_000, 1_000_000];
const spaced = (n: number) => String(n).replace(/\B(?=(\d{3})+(?!\d))/g, ' ');

/** How many times better, or worse, the odds are. */
function better(times: number | null): string {
  if (times === null) return 'all of it';
  const shown = (n: number) => (n >= 100 ? spaced(Math.round(n)) : n.toPrecision(3));
  if (Math.abs(times - 1) < 0.005) return 'the same';
  return times >= 1 ? `${shown(times)} times` : `${shown(1 / times)} times worse`;
}

export function Odds({ pool }: { pool: Items['pools'] | undefined }) {
  const { plan } = usePlan();
  const [all, setAll] = useState(false);
  const [years, setYears] = useState(10);
  const [lifetimes, setLifetimes] = useState(200_000);
  const [working, setWorking] = useState<Working | null>(null);
  const asking = useQuestion<'odds'>(pool ? { kind: 'odds', pools: all ? [] : [pool.id], years, lifetimes } : null);
  if (!pool) return <p>Make a pool first: then the odds of losing it are drawn here.</p>;
  const found = asking.answer?.outlook;
  const curve = found?.curve ?? [];
  return (
    <div>
      <div className="mb-1 flex flex-wrap items-baseline gap-x-4 gap-y-1">
        <h2>Odds of losing the pool</h2>
        <label className="flex min-h-[24px] items-center gap-1">
          <input
            type="checkbox"
            className="size-4 accent-(--accent)"
            checked={all}
            onChange={(e) => setAll(e.target.checked)}
          />
          any pool of the plan
        </label>
        <Pick
          word="within"
          label="Years"
          value={years}
          options={[3, 5, 10].map((y) => ({ value: y, label: `${y} years` }))}
          onPick={setYears}
        />
        <Pick
          word="over"
          label="Lifetimes"
          value={lifetimes}
          options={LIFETIMES.map((n) => ({ value: n, label: `${spaced(n)} lifetimes` }))}
          onPick={setLifetimes}
        />
      </div>
      <Progress asking={asking} what="living through the lifetimes" />
      {found && (
        <div className="grid gap-x-6 gap-y-3 xl:grid-cols-[560px_minmax(0,1fr)]">
          <section aria-label="Odds over the years">
            <p>
              <Worked
                name={`${found.name} is lost within ${found.horizon_years} years`}
                value={odds(found.odds)}
                onOpen={() => setWorking(found.working)}
              />{' '}
              Apart from that, a file is damaged while rebuilding:{' '}
              <span className="figure">{oddsRange(found.damaged, found.damaged_at_most)}</span>.
            </p>
            <Plot
              title={`Odds that ${found.name} is lost over ${found.horizon_years} years`}
              width={560}
              height={270}
              log
              show={odds}
              xLabels={curve.map((y) => ({ x: y.year, text: `${y.year} y` }))}
              band={curve.map((y) => ({ x: y.year, low: y.low, high: y.high }))}
              lines={[
                { name: 'Markov chain: one constant rate', points: curve.map((y) => ({ x: y.year, y: y.chain })) },
                {
                  name: 'lifetimes: wear, age and bad batches',
                  points: curve.map((y) => ({ x: y.year, y: y.lifetimes })),
                  dash: '7 3',
                },
                ...(found.damaged > 0
                  ? [
                      {
                        name: 'a file damaged while rebuilding',
                        points: curve.map((y) => ({ x: y.year, y: y.damaged })),
                        dash: '1 3',
                      },
                      {
                        name: 'the same, at most by the data sheet',
                        points: curve.map((y) => ({ x: y.year, y: y.damaged_at_most })),
                        dash: '1 6',
                      },
                    ]
                  : []),
              ]}
            />
            <p className="text-quiet">
              Full line: the chain, where every disk fails at one constant rate. Dashed: {spaced(found.lifetimes_run)}{' '}
              lifetimes with wear, each disk’s age and bad batches; tinted: their 95 % interval.
              {found.damaged > 0 &&
                ' Dotted: a file damaged while rebuilding, as scrubs see such errors and at most by the data sheet.'}
            </p>
            <table className="mt-1">
              <thead>
                <tr className="border-b border-ink">
                  <th className="text-right">Years</th>
                  <th className="text-right">Chain</th>
                  <th className="text-right">Lifetimes</th>
                  <th className="text-right">95 % interval</th>
                  <th className="text-right">A file damaged</th>
                </tr>
              </thead>
              <tbody>
                {curve.map((y) => (
                  <tr key={y.year} className="border-b border-hair">
                    <td className="figure text-right">{y.year}</td>
                    <td className="figure text-right whitespace-nowrap">{odds(y.chain)}</td>
                    <td className="figure text-right whitespace-nowrap">{odds(y.lifetimes)}</td>
                    <td className="figure text-right whitespace-nowrap">
                      {odds(y.low)} to {odds(y.high)}
                    </td>
                    <td className="figure text-right whitespace-nowrap">{odds(y.damaged)}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </section>
          <section aria-label="What one change buys">
            <h3>What one change buys, the most first</h3>
            <table className="w-full">
              <thead>
                <tr className="border-b border-ink">
                  <th>Change</th>
                  <th className="text-right">Pool lost</th>
                  <th className="text-right">Better</th>
                  <th className="text-right">A file damaged</th>
                  <th className="text-right">Better</th>
                  <th className="text-right">Money</th>
                </tr>
              </thead>
              <tbody>
                {found.changes.map((c) => (
                  <tr key={c.what} className={`border-b border-hair ${c.avoided < 0 ? 'text-danger' : ''}`}>
                    <td>
                      <Worked name={c.what} value="" onOpen={() => setWorking(c.working)} />
                    </td>
                    <td className="figure text-right whitespace-nowrap">{odds(c.odds)}</td>
                    <td className="figure text-right whitespace-nowrap">{better(c.times_better)}</td>
                    <td className="figure text-right whitespace-nowrap">{odds(c.damaged)}</td>
                    <td className="figure text-right whitespace-nowrap">{better(c.times_fewer)}</td>
                    <td className="figure text-right whitespace-nowrap">{text(money(c.cost_minor, plan.currency))}</td>
                  </tr>
                ))}
                {found.changes.length === 0 && (
                  <tr>
                    <td colSpan={6} className="text-quiet">
                      Without redundancy no single change helps: choose another layout.
                    </td>
                  </tr>
                )}
              </tbody>
            </table>
          </section>
        </div>
      )}
      <WorkingSlip working={working} onClose={() => setWorking(null)} />
    </div>
  );
}
