/** Revisions: what changed since the pinned one, and any of them brought back. */

import { useQuery } from '@tanstack/react-query';
import { api, unwrap, type Schemas } from '../../api/client';
import { useChange, usePlan } from '../../api/plan';
import { Slip } from '../../parts/Slip';
import { odds, size, span } from '../../text/format';

export function ChangesSlip({ onClose }: { onClose: () => void }) {
  const { meta } = usePlan();
  const change = useChange();
  const path = { plan_id: meta.id };
  const revisions = useQuery({
    queryKey: ['revisions', meta.id, meta.revision],
    queryFn: async () => unwrap(await api.GET('/api/plans/{plan_id}/revisions', { params: { path } })),
  });
  const before = meta.pinned ?? meta.revision;
  const comparison = useQuery({
    queryKey: ['comparison', meta.id, before, meta.revision],
    queryFn: async () =>
      unwrap(
        await api.GET('/api/plans/{plan_id}/comparison', {
          params: { path, query: { before, after: meta.revision } },
        }),
      ),
  });
  return (
    <Slip title="Revisions" onClose={onClose} wide>
      {meta.pinned === null && <p>No revision is pinned. Pin one below to see what has changed since.</p>}
      {meta.pinned !== null && comparison.data && <Differences found={comparison.data} />}
      {meta.pinned !== null && <WhoGains before={before} />}
      <h3 className="mt-4 border-b border-ink">All revisions</h3>
      <ul>
        {revisions.data?.revisions.map((r) => (
          <li key={r.number} className="flex items-baseline gap-3 border-b border-hair py-1">
            <span className="figure w-8 text-right">{r.number}</span>
            <span className="min-w-0 flex-1 truncate" title={r.summary}>
              {r.summary}
              {r.made_by && <span className="text-quiet"> by {r.made_by}</span>}
              {r.number === meta.revision && <b> (this one)</b>}
            </span>
            <span className="unit figure">{new Date(r.made_at).toLocaleString('sv')}</span>
            <button
              data-for="plans"
              className="underline"
              onClick={() => change.mutate({ edit: { do: 'pin', revision: r.number } })}
            >
              {meta.pinned === r.number ? 'pinned' : 'pin'}
            </button>
            <button
              data-for="plans"
              className="underline"
              disabled={r.number === meta.revision}
              onClick={() => change.mutate({ edit: { do: 'restore', revision: r.number } })}
            >
              restore
            </button>
          </li>
        ))}
      </ul>
      <p className="mt-2 text-quiet">{revisions.data?.kept}</p>
    </Slip>
  );
}

/** People and machines that gained or lost access since a revision. */
function WhoGains({ before }: { before: number }) {
  const { meta } = usePlan();
  const found = useQuery({
    queryKey: ['access-changes', meta.id, before, meta.revision],
    queryFn: async () =>
      unwrap(
        await api.GET('/api/plans/{plan_id}/access-changes', {
          params: { path: { plan_id: meta.id }, query: { before } },
        }),
      ).changes,
  });
  if (!found.data) return null;
  return (
    <section aria-label="Who gains, who loses">
      <h3 className="mt-4 border-b border-ink">Who gains, who loses access</h3>
      {found.data.length === 0 && <p className="text-quiet">Nobody.</p>}
      <ul>
        {found.data.map((c) => (
          <li key={`${c.subject}-${c.protocol}-${c.thing}`} className="border-b border-hair py-0.5">
            <b>{c.name}</b> {c.gains ? 'gains' : <span className="font-semibold text-danger">loses</span>} {c.protocol}{' '}
            {c.thing_name}: {c.before} to {c.after} <span className="text-quiet">{c.because.join('; ')}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Differences({ found }: { found: Schemas['Comparison'] }) {
  const { before, after, changes } = found;
  const rows: [string, string, string][] = [
    ['usable', size(before.usable_bytes), size(after.usable_bytes)],
    ['a pool lost in 5 years', odds(before.loss_odds_5y), odds(after.loss_odds_5y)],
    ['most work lost', span(before.worst_rpo_seconds), span(after.worst_rpo_seconds)],
    ['longest to be back', span(before.worst_rto_seconds), span(after.worst_rto_seconds)],
    ['lost for good', `${before.lost_for_good} cells`, `${after.lost_for_good} cells`],
    ['cautions', String(before.cautions), String(after.cautions)],
  ];
  return (
    <>
      <table className="w-full">
        <thead>
          <tr className="border-b border-ink">
            <th>Figure</th>
            <th className="text-right">pinned {before.revision}</th>
            <th className="text-right">now {after.revision}</th>
          </tr>
        </thead>
        <tbody>
          {rows.map(([name, then, now]) => (
            <tr key={name} className={`border-b border-hair ${then === now ? 'text-quiet' : 'font-semibold'}`}>
              <td>{name}</td>
              <td className="figure text-right">{then}</td>
              <td className="figure text-right">{now}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <h3 className="mt-3">What changed in the plan</h3>
      {changes.length === 0 && <p className="text-quiet">Nothing.</p>}
      <ul>
        {changes.map((c) => (
          <li key={`${c.collection}-${c.id}`} className="border-b border-hair py-1 wrap-anywhere">
            <b>{c.name}</b> <span className="text-quiet">({c.collection})</span> {c.what}
            {c.fields.map((f) => (
              <div key={f.field} className="figure pl-4 text-[12px]">
                {f.field}: {brief(f.before)} → {brief(f.after)}
              </div>
            ))}
          </li>
        ))}
      </ul>
    </>
  );
}

const brief = (value: unknown): string => {
  const text = typeof value === 'string' ? value : JSON.stringify(value);
  return text.length > 90 ? `${text.slice(0, 87)}...` : text || '(empty)';
};
