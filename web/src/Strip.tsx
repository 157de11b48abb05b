/** The consequence strip: six figures, each with its change against the pinned revision. */

import { useState } from 'react';
import type { Working } from './api/client';
import { useNewest } from './api/looks';
import { usePlan } from './api/plan';
import { Slip } from './parts/Slip';
import { WorkingTree } from './parts/WorkingTree';
import { binary, decimal, duration, money, odds, whole, size, span, text, type Quantity } from './text/format';

/** When each box was looked at last, once any was. */
function Looked() {
  const { plan } = usePlan();
  const { data } = useNewest();
  if (!data?.length) return null;
  const at = new Map(data.map((l) => [l.host, l.seen_at.slice(0, 10)]));
  const open = plan.hosts.filter((h) => !['router', 'bought_box', 'pc'].includes(h.kind));
  return (
    <p className="col-span-full border-t border-hair px-3 text-[12px] text-quiet">
      Looked at{' '}
      {open.map((h, n) => (
        <span key={h.id}>
          {n > 0 && ', '}
          {h.name} <span className="figure whitespace-nowrap">{at.get(h.id) ?? 'never'}</span>
        </span>
      ))}
    </p>
  );
}

export function Strip({ onCautions }: { onCautions: () => void }) {
  const { plan, evaluation, pinned } = usePlan();
  const { strip } = evaluation;
  const [working, setWorking] = useState<Working | null>(null);
  const signed = (now: number, then: number | undefined, show: (n: number) => string) => {
    if (then === undefined || now === then) return undefined;
    return `${now > then ? '+' : '−'}${show(Math.abs(now - then))}`;
  };
  const was = (now: string, then: string | undefined) =>
    then === undefined || then === now ? undefined : `was ${then}`;
  const names = (about: string) => (strip.lost_for_good ? '' : about);
  return (
    <section
      aria-label="Consequences"
      className="no-print grid grid-cols-2 border-b border-ink sm:grid-cols-3 lg:grid-cols-6"
    >
      <Cell
        label="Usable"
        figure={decimal(strip.usable_bytes)}
        note={strip.usable_bytes ? text(binary(strip.usable_bytes)) : ''}
        delta={signed(strip.usable_bytes, pinned?.usable_bytes, size)}
        onOpen={() => setWorking(strip.usable.working)}
      />
      <Cell
        label="Spent"
        figure={money(strip.cost_minor, plan.currency)}
        note={strip.unpriced ? `${strip.unpriced} without a price` : ''}
        delta={signed(strip.cost_minor, pinned?.cost_minor, (n) => text(money(n, plan.currency)))}
        onOpen={() => setWorking(strip.cost.working)}
      />
      <Cell
        label="Pool lost / a file damaged, 5 years"
        figure={plan.pools.length ? { value: odds(strip.loss_odds_5y), unit: '' } : NOTHING}
        note={strip.damage_odds_5y ? whole(`/ ${odds(strip.damage_odds_5y)}`) : ''}
        delta={was(odds(strip.loss_odds_5y), pinned ? odds(pinned.loss_odds_5y) : undefined)}
        onOpen={() => setWorking(strip.odds.working)}
      />
      <Cell
        label="Most work lost (RPO)"
        figure={plan.datasets.length ? duration(strip.worst_rpo_seconds) : NOTHING}
        note={names(strip.rpo.about)}
        alarm={
          strip.lost_for_good || strip.lost_today
            ? `${strip.lost_for_good} for good${strip.lost_today ? `, today ${strip.lost_today} more` : ''}`
            : undefined
        }
        delta={was(span(strip.worst_rpo_seconds), pinned ? span(pinned.worst_rpo_seconds) : undefined)}
        onOpen={() => setWorking(strip.rpo.working)}
      />
      <Cell
        label="Longest to be back (RTO)"
        figure={plan.datasets.length ? duration(strip.worst_rto_seconds) : NOTHING}
        note={strip.rto.about}
        delta={was(span(strip.worst_rto_seconds), pinned ? span(pinned.worst_rto_seconds) : undefined)}
        onOpen={() => setWorking(strip.rto.working)}
      />
      <Cell
        label="Cautions"
        figure={{ value: String(strip.cautions), unit: '' }}
        alarm={strip.serious ? `${strip.serious} serious` : undefined}
        delta={signed(strip.cautions, pinned?.cautions, String)}
        onOpen={onCautions}
      />
      <Looked />
      {working && (
        <Slip title={`Working: ${working.name}`} onClose={() => setWorking(null)} wide>
          <Latest name={working.name} />
        </Slip>
      )}
    </section>
  );
}

/** What an empty plan has to say: no promise. */
const NOTHING: Quantity = { value: '—', unit: 'nothing planned' };

/** The working by its name in the newest evaluation, so that an edit in it shows at once. */
function Latest({ name }: { name: string }) {
  const { strip } = usePlan().evaluation;
  const found = [strip.usable, strip.cost, strip.odds, strip.rpo, strip.rto].find((f) => f.working.name === name);
  return found ? <WorkingTree working={found.working} /> : null;
}

function Cell({
  label,
  figure,
  note,
  alarm,
  delta,
  onOpen,
}: {
  label: string;
  figure: Quantity;
  note?: string;
  alarm?: string | undefined;
  delta?: string | undefined;
  onOpen: () => void;
}) {
  return (
    <button
      className="flex min-w-0 flex-col border-r border-line px-3.5 py-1.5 text-left last:border-r-0 hover:bg-desk"
      onClick={onOpen}
      title="show the working"
    >
      <span className="block truncate text-[12px] text-quiet max-sm:whitespace-normal">{label}</span>
      <span className="flex min-w-0 flex-wrap items-baseline gap-x-1.5">
        <span className="figure text-[18px] font-bold whitespace-nowrap">{figure.value}</span>
        {figure.unit && <span className="text-quiet">{figure.unit}</span>}
        {alarm && <span className="font-semibold text-danger">{alarm}</span>}
        {delta ? (
          <span className="figure text-[12px] font-semibold wrap-anywhere">{delta}</span>
        ) : (
          note && <span className="text-[12px] wrap-anywhere text-quiet">{note}</span>
        )}
      </span>
    </button>
  );
}
