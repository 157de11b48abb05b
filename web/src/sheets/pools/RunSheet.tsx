/** The run sheet: steps ticked at the rack, over days, on a phone too; what is left is reckoned anew. */

import { useState } from 'react';
import type { Items, Schemas, Working } from '../../api/client';
import { useChange, usePlan } from '../../api/plan';
import { Worked } from '../../parts/Asked';
import { readNumber, span } from '../../text/format';

type Move = Schemas['Shuffle'];
type Step = Move['steps'][number];

export function RunSheet({ move, onWorking }: { move: Move; onWorking: (working: Working) => void }) {
  const { plan, evaluation } = usePlan();
  const change = useChange();
  const [wrong, setWrong] = useState('');
  const tell = { onError: (e: Error) => setWrong(e.message), onSuccess: () => setWrong('') };
  const tick = (step: Step, outcome: 'done' | 'failed', hours: number | null) => {
    const item: Omit<Items['ticks'], 'id'> = {
      step: step.key,
      on: evaluation.today,
      outcome,
      hours,
      who: '',
      note: '',
    };
    change.mutate({ edit: { do: 'add', collection: 'ticks', item } }, tell);
  };
  const last = plan.ticks.at(-1);
  let done = 0;
  return (
    <section aria-label="Run sheet">
      {wrong && (
        <p role="alert" className="text-danger">
          {wrong}
        </p>
      )}
      {move.ticked.length > 0 && (
        <>
          <h3 className="mt-2 border-b border-ink">Ticked so far</h3>
          <ol>
            {move.ticked.map((t) => (
              <li key={t.tick} className="flex gap-2 border-b border-hair py-0.5">
                <span className="figure w-6 shrink-0 text-right">
                  {t.fits && t.outcome === 'done' ? (done += 1) : '!'}
                </span>
                <span className="min-w-0 flex-1 wrap-anywhere">
                  {t.text}{' '}
                  <span className={t.outcome === 'failed' || !t.fits ? 'font-semibold text-danger' : 'text-quiet'}>
                    {!t.fits ? 'does not fit the plan any more' : t.outcome}
                    {t.took_hours !== null && `, took ${t.took_hours} h`}
                    {t.planned_hours !== null && ` of ${t.planned_hours.toFixed(1)} h`}
                  </span>
                </span>
                {t.tick === last?.id && (
                  <button
                    data-for="hands"
                    className="act self-start"
                    disabled={change.isPending}
                    onClick={() => change.mutate({ edit: { do: 'remove', collection: 'ticks', id: t.tick } }, tell)}
                  >
                    untick
                  </button>
                )}
              </li>
            ))}
          </ol>
          {Math.abs(move.pace - 1) > 0.02 && (
            <p>
              Copies took <span className="figure">{move.pace.toFixed(2)}</span> times as long as planned so far: the
              hours below count with that.
            </p>
          )}
        </>
      )}
      {move.finished ? (
        <p className="mt-2 font-semibold">
          All is in its place. Mark the pool as standing, and plan its copies: the old disks are wiped now.
        </p>
      ) : (
        <h3 className="mt-2 border-b border-ink">To do, about {span(move.hours * 3600)}</h3>
      )}
      <ol>
        {move.steps.map((step, n) => (
          <StepRow
            key={step.key}
            step={step}
            number={done + n + 1}
            next={n === 0}
            busy={change.isPending}
            onTick={(outcome, hours) => tick(step, outcome, hours)}
            onWorking={() => onWorking(step.working)}
          />
        ))}
      </ol>
    </section>
  );
}

function StepRow({
  step,
  number,
  next,
  busy,
  onTick,
  onWorking,
}: {
  step: Step;
  number: number;
  next: boolean;
  busy: boolean;
  onTick: (outcome: 'done' | 'failed', hours: number | null) => void;
  onWorking: () => void;
}) {
  const [took, setTook] = useState('');
  const [wrong, setWrong] = useState('');
  const send = (outcome: 'done' | 'failed') => {
    const hours = took.trim() === '' ? null : readNumber(took);
    if (typeof hours === 'string' || (hours !== null && hours < 0)) {
      setWrong('write the hours as 16.5');
      return;
    }
    setWrong('');
    onTick(outcome, hours);
  };
  return (
    <li className={`flex gap-2 border-b border-hair py-1 ${next ? 'bg-picked' : ''}`}>
      <span className="figure w-6 shrink-0 text-right font-semibold">{number}</span>
      <div className="min-w-0 flex-1 wrap-anywhere">
        {step.text} <Worked name="" value={`${step.hours.toFixed(1)} h`} onOpen={onWorking} />
        {step.danger.map((d) => (
          <p key={d} className="border-l-2 border-danger pl-2 font-semibold">
            {d}
          </p>
        ))}
        <p className="text-quiet">
          Whole copies then:{' '}
          {step.copies_after.map((c, i) => (
            <span key={c.dataset} className={c.copies === 1 ? 'font-semibold text-ink' : ''}>
              {i > 0 && ', '}
              {c.name} <span className="figure">{c.copies}</span>
            </span>
          ))}
          . Back out: {step.back_out}
        </p>
        {next && (
          <div className="mt-1 flex flex-wrap items-center gap-2">
            <label className="flex items-center gap-1">
              took
              <input
                className="entry figure !w-16"
                inputMode="decimal"
                aria-label={`hours that step ${number} took`}
                aria-invalid={wrong !== ''}
                value={took}
                onChange={(e) => setTook(e.target.value)}
              />
              <span className="unit">h</span>
            </label>
            <button data-for="hands" className="act font-semibold" disabled={busy} onClick={() => send('done')}>
              done
            </button>
            <button data-for="hands" className="act text-danger" disabled={busy} onClick={() => send('failed')}>
              failed
            </button>
            {wrong && (
              <span role="alert" className="text-danger">
                {wrong}
              </span>
            )}
          </div>
        )}
      </div>
    </li>
  );
}
