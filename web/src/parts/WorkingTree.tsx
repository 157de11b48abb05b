/** Shows the working of a figure: formula, values, units, sources; assumptions edited in place. */

import { useState } from 'react';
import type { Working } from '../api/client';
import { Refused } from '../api/client';
import { useChange, usePlan } from '../api/plan';
import { useMay } from '../api/visitor';
import { decimal, duration, money, odds, readNumber, text, writeNumber } from '../text/format';

/** A value of a working with its unit, as people read it and exactly. */
export function shown(value: Working['value'], unit: string, currency: string): string {
  if (value === null) return 'none';
  if (typeof value === 'string') return value;
  if (unit === 'bytes') return `${text(decimal(value))} (${exact(value)} bytes)`;
  if (unit === 'money') return text(money(value, currency));
  if (unit === 'currency') return `${exact(Math.round(value))} ${currency}`;
  if (unit === 'odds') return value > 0.2 ? `${(value * 100).toFixed(1)} %` : odds(value);
  if (unit === 's') return text(duration(value));
  const plain =
    Number.isInteger(value) || Math.abs(value) >= 1e6
      ? value >= 1e9
        ? value.toExponential(1)
        : exact(value)
      : Number(value.toPrecision(4)).toString();
  return unit ? `${plain} ${unit}` : plain;
}

const exact = (value: number) => String(value).replace(/\B(?=(\d{3})+(?!\d))/g, ' ');

export function WorkingTree({ working, depth = 0 }: { working: Working; depth?: number }) {
  const { plan } = usePlan();
  return (
    <div className={depth ? 'border-l border-line pl-3' : ''}>
      <div className="flex flex-wrap items-baseline gap-x-3 py-0.5">
        <span className={depth < 2 ? 'font-semibold wrap-anywhere' : 'wrap-anywhere'}>{working.name}</span>
        <span className="figure ml-auto text-right">{shown(working.value, working.unit, plan.currency)}</span>
      </div>
      {working.formula && <div className="text-quiet">= {working.formula}</div>}
      {working.assumption && <AssumptionEditor id={working.assumption} />}
      {working.source && !working.assumption && <div className="unit">source: {working.source}</div>}
      {working.inputs.map((input, n) => (
        <WorkingTree key={`${n}-${input.name}`} working={input} depth={depth + 1} />
      ))}
    </div>
  );
}

/** An assumption where it is used: its value in this plan, its source, a way back to the default. */
export function AssumptionEditor({ id }: { id: string }) {
  const { evaluation, plan } = usePlan();
  const change = useChange();
  const may = useMay();
  const known = evaluation.assumptions.find((a) => a.id === id);
  const [draft, setDraft] = useState<string | null>(null);
  const [wrong, setWrong] = useState('');
  if (!known) return null;
  const save = (written: string) => {
    const value = readNumber(written);
    if (typeof value === 'string') {
      setWrong(value);
      return;
    }
    if (value === known.value) {
      setDraft(null);
      setWrong('');
      return;
    }
    change.mutate(
      { edit: { do: 'put', collection: 'assumptions', item: { id, value, note: '' } } },
      {
        onSuccess: () => {
          setDraft(null);
          setWrong('');
        },
        onError: (error) =>
          setWrong(error instanceof Refused ? (error.problem.errors[0]?.message ?? error.message) : ''),
      },
    );
  };
  return (
    <div className="my-1 border border-dashed border-line px-2 py-1">
      <label className="flex flex-wrap items-baseline gap-2">
        <span className="unit flex-1">assumed: {known.label}</span>
        <input
          className="entry figure !w-24 text-right"
          inputMode="decimal"
          aria-label={known.label}
          aria-invalid={wrong !== ''}
          value={draft ?? writeNumber(known.value)}
          disabled={!may}
          onChange={(e) => setDraft(e.target.value)}
          onBlur={() => draft !== null && save(draft)}
          onKeyDown={(e) => e.key === 'Enter' && draft !== null && save(draft)}
        />
        <span className="unit w-20">{known.unit === 'currency' ? plan.currency : known.unit}</span>
      </label>
      {wrong && (
        <div role="alert" className="text-danger">
          {wrong}
        </div>
      )}
      <div className="unit">
        {known.source}
        {known.own && (
          <button
            data-for="plans"
            className="ml-2 underline"
            onClick={() => change.mutate({ edit: { do: 'remove', collection: 'assumptions', id } })}
          >
            back to {writeNumber(known.default)}
          </button>
        )}
      </div>
    </div>
  );
}
