/** Years ahead: when the pool is full, what to add then, and what each way of buying costs. */

import { useState } from 'react';
import type { Items, Schemas, Working } from '../../api/client';
import { usePlan } from '../../api/plan';
import { useQuestion } from '../../api/questions';
import { DashLegend, Plot } from '../../drawing/Plot';
import { Progress, Worked } from '../../parts/Asked';
import { WorkingSlip } from '../../parts/WorkingSlip';
import { money, odds, percent, size, text } from '../../text/format';

type Enlargement = Schemas['Enlargement'];
const YEARS = [1, 2, 3, 5, 7, 10];

export function YearsAhead({ pool }: { pool: Items['pools'] | undefined }) {
  const { plan, evaluation } = usePlan();
  const [years, setYears] = useState(10);
  const [picked, setPicked] = useState<string | null>(null);
  const [working, setWorking] = useState<Working | null>(null);
  const asking = useQuestion<'growth'>(pool ? { kind: 'growth', pool: pool.id, years } : null);
  if (!pool) return <p>Make a pool first: then its years ahead are drawn here.</p>;
  const found = asking.answer;
  const here = found?.growth.pool === pool.id ? found : undefined;
  const chosen = here?.growth.enlargements.find((e) => e.what === picked);
  const cash = (minor: number) => text(money(minor, plan.currency));
  const assumption = (id: string) => evaluation.assumptions.find((a) => a.id === id)?.value ?? 0;
  return (
    <div>
      <div className="flex flex-wrap items-baseline gap-x-4 gap-y-1">
        <h2>Years ahead of pool “{pool.name}”</h2>
        <label className="flex items-baseline gap-1 text-quiet">
          look ahead
          <select
            className="entry !w-auto"
            aria-label="Years to look ahead"
            value={years}
            onChange={(e) => setYears(Number(e.target.value))}
          >
            {YEARS.map((y) => (
              <option key={y} value={y}>
                {y === 1 ? '1 year' : `${y} years`}
              </option>
            ))}
          </select>
        </label>
        {here && <Worked name="how the dates come about" value="" onOpen={() => setWorking(here.growth.working)} />}
      </div>
      <Progress asking={asking} what="reckoning the years ahead" />
      {here && (
        <>
          <p className="mb-1">
            Needs <span className="figure">{size(here.growth.now_bytes)}</span> now and{' '}
            <span className="figure">{size(here.growth.a_year_bytes)}</span> more each year, with the copies of others.{' '}
            <Dates growth={here.growth} warn={assumption('fill_warn_share')} slow={assumption('fill_slow_share')} />
          </p>
          <div className="grid gap-x-6 gap-y-3 xl:grid-cols-[560px_minmax(0,1fr)]">
            <Fill growth={here.growth} chosen={chosen} currency={plan.currency} warn={assumption('fill_warn_share')} />
            <section aria-label="Ways to grow">
              <h3>Ways to grow, cheapest room first, at the prices of that date</h3>
              <table className="w-full">
                <thead>
                  <tr className="border-b border-ink">
                    <th>Way</th>
                    <th className="text-right">Room +</th>
                    <th className="text-right">Money</th>
                    <th className="text-right">Hours</th>
                    <th className="text-right">Lasts until</th>
                  </tr>
                </thead>
                <tbody>
                  {here.growth.enlargements.map((e) => (
                    <tr
                      key={e.what}
                      className={`border-b border-hair align-baseline ${e.what === picked ? 'bg-picked' : ''}`}
                    >
                      <td>
                        <button
                          className="pick"
                          aria-pressed={e.what === picked}
                          onClick={() => setPicked(e.what === picked ? null : e.what)}
                        >
                          {e.what}
                        </button>
                        {e.what === picked && e.caution && <p className="text-quiet">{e.caution}</p>}
                        {e.what === picked && (
                          <p>
                            <Worked name="show its working" value="" onOpen={() => setWorking(e.working)} />
                          </p>
                        )}
                      </td>
                      <td className="figure text-right whitespace-nowrap">{size(e.gained_bytes)}</td>
                      <td className="figure text-right whitespace-nowrap">{cash(e.cost_minor)}</td>
                      <td className="figure text-right whitespace-nowrap">{e.hours.toFixed(1)} h</td>
                      <td className="figure text-right whitespace-nowrap">{e.lasts_until ?? 'over 10 years'}</td>
                    </tr>
                  ))}
                  {here.growth.enlargements.length === 0 && (
                    <tr>
                      <td colSpan={5} className="text-quiet">
                        Nothing on the price list makes this pool larger: replace it, or add larger disks to the list on
                        the Bench.
                      </td>
                    </tr>
                  )}
                </tbody>
              </table>
            </section>
          </div>
          <Ways answer={here} cash={cash} years={years} onWorking={setWorking} />
        </>
      )}
      <WorkingSlip working={working} onClose={() => setWorking(null)} />
    </div>
  );
}

function Dates({ growth, warn, slow }: { growth: Schemas['Growth']; warn: number; slow: number }) {
  if (!growth.warn_on) return <b>It does not pass {percent(warn)} within ten years.</b>;
  return (
    <>
      <b>
        {percent(warn)} full on <span className="figure">{growth.warn_on}</span>
      </b>
      , {percent(slow)} on <span className="figure">{growth.slow_on ?? 'no day within ten years'}</span>, full on{' '}
      <span className="figure">{growth.full_on ?? 'no day within ten years'}</span>.
    </>
  );
}

const yearsBetween = (from: string, to: string) => (Date.parse(to) - Date.parse(from)) / (365.25 * 86_400_000);

function Fill({
  growth,
  chosen,
  currency,
  warn,
}: {
  growth: Schemas['Growth'];
  chosen: Enlargement | undefined;
  currency: string;
  warn: number;
}) {
  const first = growth.points[0];
  const last = growth.points.at(-1);
  if (!first || !last) return null;
  const due = growth.warn_on ? Math.max(yearsBetween(first.on, growth.warn_on), 0) : 0;
  const roomLine = chosen
    ? [
        { x: 0, y: growth.usable_bytes },
        { x: Math.min(due, last.years), y: chosen.usable_bytes },
        { x: last.years, y: chosen.usable_bytes },
      ]
    : [
        { x: 0, y: growth.usable_bytes },
        { x: last.years, y: growth.usable_bytes },
      ];
  const start = Number(first.on.slice(0, 4));
  const fraction = yearsBetween(`${start}-01-01`, first.on);
  const labels = Array.from({ length: Math.ceil(last.years) + 1 }, (_, n) => ({
    x: n - fraction,
    text: String(start + n),
  })).filter((t) => t.x >= 0 && t.x <= last.years);
  const inside = due <= last.years && growth.warn_on;
  return (
    <Plot
      title={`Room ${size(growth.usable_bytes)} against what is needed over ${last.years} years`}
      width={560}
      height={250}
      xLabels={labels}
      show={size}
      filled={growth.points.map((p) => ({ x: p.years, y: p.need_bytes }))}
      lines={[{ name: 'room', points: roomLine, steps: true, weight: 2 }]}
      rules={[{ y: growth.usable_bytes * warn, text: `${percent(warn)} of the room` }]}
      marks={[
        ...(inside
          ? [
              {
                x: due,
                y: growth.usable_bytes * warn,
                text: `${percent(warn)} full, ${growth.warn_on ?? ''}`,
                alarm: true,
              },
            ]
          : []),
        ...(chosen
          ? [
              {
                x: Math.min(due, last.years),
                y: chosen.usable_bytes,
                text: `${chosen.what}, ${text(money(chosen.cost_minor, currency))}`,
              },
            ]
          : []),
      ]}
    />
  );
}

/** The ways of buying the same room from the disks there are, and the cheapest plan there is. */
function Ways({
  answer,
  cash,
  years,
  onWorking,
}: {
  answer: Schemas['GrowthAnswer'];
  cash: (minor: number) => string;
  years: number;
  onWorking: (working: Working) => void;
}) {
  const { strategies, purchases } = answer;
  const labels = Array.from({ length: years + 1 }, (_, n) => ({ x: n, text: n ? String(n) : 'now' })).filter(
    (t) => years <= 5 || t.x % 2 === 0,
  );
  const plots: {
    title: string;
    y: (p: Schemas['StrategyPoint']) => number;
    show: (v: number) => string;
    log?: boolean;
  }[] = [
    { title: 'Money spent', y: (p) => p.spent_minor, show: cash },
    { title: 'Room', y: (p) => p.usable_bytes, show: size },
    { title: 'Odds of losing the pool within a year', y: (p) => p.odds_a_year, show: odds, log: true },
  ];
  return (
    <section aria-label="Ways of buying" className="mt-4 border-t border-ink pt-2">
      <h2>The same need, from the disks of this pool</h2>
      <p className="text-quiet">
        {strategies.length} ways over {years} years in {answer.bays} bays, with the offers of the price list (on the
        Bench).
      </p>
      <table className="w-full">
        <thead>
          <tr className="border-b border-ink">
            <th>Way</th>
            <th className="text-right">Today</th>
            <th className="text-right">In all</th>
            <th className="text-right">Disks</th>
            <th className="text-right">Pool lost</th>
            <th className="pl-4">When it is lost</th>
            <th>Runs out</th>
          </tr>
        </thead>
        <tbody>
          {strategies.map((s) => (
            <tr key={s.id} className="border-b border-hair">
              <td>
                <Worked name={s.title} value="" onOpen={() => onWorking(s.working)} />
              </td>
              <td className="figure text-right whitespace-nowrap">{cash(s.today_minor)}</td>
              <td className="figure text-right whitespace-nowrap">{cash(s.total_minor)}</td>
              <td className="figure text-right">{s.disks}</td>
              <td className="figure text-right whitespace-nowrap">{odds(s.odds)}</td>
              <td className="pl-4">{s.when_lost}</td>
              <td className={s.runs_out === null ? '' : 'font-semibold text-danger'}>
                {s.runs_out === null ? 'never' : `after ${s.runs_out} years: no bay left`}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="mt-2 flex flex-wrap gap-x-4 gap-y-2">
        {plots.map((p) => (
          <figure key={p.title}>
            <figcaption>
              <b>{p.title}</b> <span className="unit">over years from now</span>
            </figcaption>
            <Plot
              title={`${p.title} of ${strategies.length} ways over ${years} years`}
              width={396}
              height={190}
              xLabels={labels}
              show={p.show}
              log={p.log ?? false}
              lines={strategies.map((s) => ({
                name: s.title,
                steps: true,
                points: s.points.map((point) => ({ x: point.years, y: p.y(point) })),
              }))}
            />
          </figure>
        ))}
      </div>
      <DashLegend lines={strategies.map((s) => ({ name: s.title }))} />
      <div className="mt-3">
        <h3>The cheapest plan that never runs out and stays within the accepted odds</h3>
        {purchases.possible ? (
          <>
            <p>
              <Worked name="money" value={cash(purchases.cost_minor)} onOpen={() => onWorking(purchases.working)} />,{' '}
              {purchases.proven
                ? 'proven: the solver closed the gap to its lower bound'
                : `at most ${percent(purchases.gap)} above the cheapest: no plan is below ${cash(purchases.bound_minor)}`}
              ; the pool is lost with <span className="figure">{odds(purchases.odds)}</span>.
            </p>
            {purchases.purchases.length === 0 && <p>What stands is enough: nothing has to be bought.</p>}
            <ul>
              {purchases.purchases.map((p) => (
                <li key={`${p.years}-${p.what}`}>
                  {p.years ? `in ${p.years} years` : 'now'}: {p.what},{' '}
                  <span className="figure">{cash(p.cost_minor)}</span>, room then{' '}
                  <span className="figure">{size(p.usable_bytes)}</span>
                </li>
              ))}
            </ul>
          </>
        ) : (
          <p className="text-danger">There is none: {purchases.why_not}.</p>
        )}
      </div>
    </section>
  );
}
