/** A risk that is accepted: signed with a reason, and called back when the plan changes under it. */

import { useState } from 'react';
import { Refused, type Schemas } from '../../api/client';
import { useChange, usePlan } from '../../api/plan';

export function Sign({ cell }: { cell: Schemas['Cell'] }) {
  const { plan, evaluation } = usePlan();
  const change = useChange();
  const [reason, setReason] = useState('');
  const [who, setWho] = useState('');
  const held = plan.accepted.find((r) => r.dataset === cell.dataset && r.hazard === cell.hazard);
  if (cell.fate === 'runs_on' && !held) return null;
  const wrong = change.error instanceof Refused ? change.error.problem.errors[0]?.message : change.error?.message;
  const sign = (text: string, name: string) => {
    const item = {
      id: held?.id ?? '',
      dataset: cell.dataset,
      hazard: cell.hazard,
      reason: text,
      on: evaluation.today,
      who: name,
      basis: cell.basis,
    };
    const { id, ...fresh } = item;
    change.mutate({
      edit: held
        ? { do: 'put', collection: 'accepted', item: { ...fresh, id } }
        : { do: 'add', collection: 'accepted', item: fresh },
    });
  };
  return (
    <div className="mt-2 border-t border-line pt-1">
      {held && (
        <p>
          {cell.signed === 'yes' ? (
            <b>Signed</b>
          ) : (
            <b className="text-danger">Signed, but the plan has changed under it</b>
          )}{' '}
          on <span className="figure">{held.on}</span>
          {held.who && ` by ${held.who}`}: “{held.reason}”.{' '}
          {cell.signed === 'changed' && (
            <button data-for="plans" className="act" onClick={() => sign(held.reason, held.who)}>
              still accepted
            </button>
          )}{' '}
          <button
            data-for="plans"
            className="act"
            onClick={() => change.mutate({ edit: { do: 'remove', collection: 'accepted', id: held.id } })}
          >
            no longer accepted
          </button>
        </p>
      )}
      {!held && (
        <form
          data-for="plans"
          className="flex flex-wrap items-start gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            sign(reason, who);
          }}
        >
          <label className="flex items-center gap-2">
            accept this, because
            <input
              className="entry !w-[190px]"
              value={reason}
              onChange={(e) => setReason(e.target.value)}
              aria-invalid={wrong !== undefined}
            />
          </label>
          <label className="flex items-center gap-2">
            who
            <input className="entry !w-[90px]" value={who} onChange={(e) => setWho(e.target.value)} />
          </label>
          <button data-for="plans" className="act" type="submit" disabled={change.isPending}>
            sign
          </button>
        </form>
      )}
      {wrong && (
        <p role="alert" className="text-danger">
          {wrong}
        </p>
      )}
    </div>
  );
}
