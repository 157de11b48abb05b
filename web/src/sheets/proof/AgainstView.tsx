/** Two plans cell by cell: what got better, what got worse. */

import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, unwrap, type Schemas } from '../../api/client';
import { usePlan } from '../../api/plan';
import { Empty } from '../../parts/Empty';
import { span, words } from '../../text/format';
import { FATES } from './Cells';

type Change = Schemas['CellChange'];
const TURNS: Record<Change['turn'], string> = {
  worse: 'worse',
  mixed: 'better and worse',
  gone: 'no longer there',
  new: 'new',
  better: 'better',
};

export function AgainstView() {
  const { meta, evaluation } = usePlan();
  const plans = useQuery({
    queryKey: ['plans'],
    queryFn: async () => unwrap(await api.GET('/api/plans')).plans,
  });
  const others = (plans.data ?? []).filter((p) => p.id !== meta.id);
  const [other, setOther] = useState<string | null>(null);
  const pinned = meta.pinned != null && meta.pinned !== meta.revision ? meta.pinned : null;
  const chosen = other ?? (pinned !== null ? 'pin' : (others[0]?.id ?? ''));
  const asked = useQuery({
    queryKey: ['against', meta.id, meta.revision, chosen, pinned],
    enabled: chosen !== '',
    placeholderData: keepPreviousData,
    queryFn: async () => {
      if (chosen === 'pin')
        return unwrap(
          await api.GET('/api/plans/{plan_id}/comparison', {
            params: { path: { plan_id: meta.id }, query: { before: pinned ?? 1, after: meta.revision } },
          }),
        ).cells;
      return unwrap(
        await api.GET('/api/plans/{plan_id}/against/{other_id}', {
          params: { path: { plan_id: meta.id, other_id: chosen } },
        }),
      ).changes;
    },
  });
  if (!others.length && pinned === null)
    return (
      <Empty title="Nothing to compare with yet">
        Make a what-if from the title block, or pin a revision and change something. Then every cell that got better or
        worse stands here.
      </Empty>
    );
  const hazards = new Map(evaluation.hazards.map((h) => [h.id, h.title]));
  const changes = asked.data ?? [];
  const count = (turn: Change['turn']) => changes.filter((c) => c.turn === turn).length;
  return (
    <div data-waiting={asked.isFetching || undefined}>
      <div className="mb-1 flex flex-wrap items-baseline gap-3">
        <h2>Cell by cell</h2>
        <label className="flex items-baseline gap-2">
          this plan against
          <select className="entry !w-auto" value={chosen} onChange={(e) => setOther(e.target.value)}>
            {pinned !== null && <option value="pin">its pinned revision {pinned}</option>}
            {others.map((p) => (
              <option key={p.id} value={p.id}>
                {p.name}
                {p.variant && `, ${p.variant}`}
              </option>
            ))}
          </select>
        </label>
        <span className="figure">
          {count('better')} better, {count('worse')} worse, {count('mixed')} both
        </span>
      </div>
      {asked.data && changes.length === 0 && <p>No cell differs.</p>}
      {changes.length > 0 && (
        <table className="w-full max-w-[1100px]">
          <thead>
            <tr className="border-b border-ink">
              <th>Dataset</th>
              <th>Hazard</th>
              <th>Is</th>
              <th>There</th>
              <th>Here</th>
            </tr>
          </thead>
          <tbody>
            {changes.map((c) => (
              <tr key={`${c.dataset}-${c.hazard}-${c.turn}`} className="border-b border-hair">
                <td className="wrap-anywhere">{c.dataset_name}</td>
                <td>{hazards.get(c.hazard) ?? words(c.hazard)}</td>
                <td
                  className={
                    c.turn === 'worse' ? 'font-semibold text-danger' : c.turn === 'better' ? 'font-semibold' : ''
                  }
                >
                  {TURNS[c.turn]}
                </td>
                <td className="figure">{told(c.fate_before, c.rpo_before, c.rto_before)}</td>
                <td className="figure">{told(c.fate_after, c.rpo_after, c.rto_after)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}

function told(fate: Change['fate_after'], rpo?: number | null, rto?: number | null): string {
  if (!fate) return '–';
  const lost = rpo == null || fate !== 'restored' ? '' : `, −${span(rpo)}`;
  const back = rto == null || rto === 0 ? '' : `, back in ${span(rto)}`;
  return `${FATES[fate]}${lost}${back}`;
}
