/** Drift: what was found on each box against what is planned, each difference with its ways out. */

import { useState } from 'react';
import type { Schemas } from '../../api/client';
import { useDrift, useKeepLook } from '../../api/looks';
import { useChange, usePlan } from '../../api/plan';
import { Copy } from '../../parts/Copy';
import { droppable, FileButton } from '../../parts/FileButton';
import { words } from '../../text/format';
import { Senders } from './Senders';
import { day, since } from './when';

type Drifted = Schemas['Drifted'];

export function DriftView() {
  const { plan, evaluation } = usePlan();
  const { data, error } = useDrift();
  const name = (id: string) => plan.hosts.find((h) => h.id === id)?.name ?? id;
  if (error) return <p role="alert">{error.message}</p>;
  if (!data) return <p data-waiting>Looking…</p>;
  const closed = new Set(plan.hosts.filter((h) => ['router', 'bought_box', 'pc'].includes(h.kind)).map((h) => h.id));
  const never = data.never.filter((id) => !closed.has(id));
  return (
    <div>
      <AddLook />
      {data.hosts.length === 0 && (
        <p className="max-w-[700px] text-quiet">
          Nothing was looked at yet. Run <code className="figure">lab-look</code> on a box (it is in the box’s bundle,
          and on Paper) and paste or drop here what it prints; a box can also send it by itself. What is there then
          stands beside what is planned; the plan changes only where you say so.
        </p>
      )}
      {data.hosts.map((h) => (
        <section key={h.host} aria-label={`Found on ${name(h.host)}`} className="mb-4">
          <h2 className="flex flex-wrap items-baseline gap-x-3 border-b border-ink">
            {name(h.host)}
            <span className="unit font-normal">
              looked at {day(h.looked_at)}, {since(h.looked_at, evaluation.today)} ago; {h.agreed}{' '}
              {h.agreed === 1 ? 'thing' : 'things'} as planned
            </span>
          </h2>
          {h.differences.length === 0 && <p>Nothing differs from the plan.</p>}
          <ul>
            {h.differences.map((d, n) => (
              <Row key={`${d.name}${d.field}${n}`} drifted={d} />
            ))}
          </ul>
          {h.unknown.length > 0 && <p className="text-quiet">Not known: {h.unknown.join('; ')}.</p>}
        </section>
      ))}
      {never.length > 0 && data.hosts.length > 0 && (
        <p className="text-quiet">Never looked at: {never.map(name).join(', ')}.</p>
      )}
      <Senders />
    </div>
  );
}

function Row({ drifted }: { drifted: Drifted }) {
  const change = useChange();
  const { change: take, command } = drifted;
  return (
    <li className="grid gap-x-4 border-b border-hair py-1 lg:grid-cols-[minmax(0,0.7fr)_minmax(0,1fr)_minmax(0,1.3fr)]">
      <span className="wrap-anywhere">
        <b className={drifted.urgent ? 'text-danger' : ''}>{drifted.verdict}</b>{' '}
        <span className="unit">{words(drifted.collection.replace(/s$/, ''))}</span> <b>{drifted.name}</b>,{' '}
        {drifted.field}
      </span>
      <span className="wrap-anywhere">
        <span className="border-b border-dashed border-line">planned {drifted.planned}</span>
        <span className="text-quiet"> · </span>
        <span className="border-b border-ink">found {drifted.seen}</span>
      </span>
      <span className="flex items-baseline gap-2 max-sm:flex-wrap lg:justify-end" data-copies>
        {take && (
          <button
            data-for="plans"
            className="act"
            disabled={change.isPending}
            title={take.why}
            onClick={() =>
              change.mutate({
                edit: {
                  do: 'take',
                  things: [{ collection: take.collection, item: take.item }],
                  said: 'what was found',
                },
              })
            }
          >
            change the plan
          </button>
        )}
        {command && (
          <>
            <code className="figure min-w-0 text-[12px] wrap-anywhere">{command}</code>
            <Copy text={command} name={`copy the command for ${drifted.name}, ${drifted.field}`} />
          </>
        )}
        {!take && !command && <span className="unit">a hand</span>}
      </span>
      {change.error && (
        <span role="alert" className="text-danger lg:col-span-3">
          {change.error.message}
        </span>
      )}
    </li>
  );
}

function AddLook() {
  const keep = useKeepLook();
  const [text, setText] = useState('');
  const [said, setSaid] = useState<{ wrong: boolean; words: string } | null>(null);
  const add = async (content: string) => {
    try {
      await keep(content);
      setText('');
      setSaid({ wrong: false, words: 'kept' });
    } catch (error) {
      setSaid({ wrong: true, words: (error as Error).message });
    }
  };
  return (
    <form
      className="mb-3 flex flex-wrap items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        void add(text);
      }}
    >
      <label className="flex flex-1 items-center gap-2">
        <span className="whitespace-nowrap">A new look</span>
        <textarea
          className="entry figure min-w-[160px] flex-1"
          rows={1}
          spellCheck={false}
          placeholder="paste or drop what lab-look printed"
          value={text}
          onChange={(e) => setText(e.target.value)}
          {...droppable((dropped) => void add(dropped))}
        />
      </label>
      <button data-for="hands" className="act" disabled={!text.trim()}>
        keep it
      </button>
      <FileButton onText={(text) => void add(text)} />
      <span role="status" className={said?.wrong ? 'text-danger' : 'text-quiet'}>
        {said?.words}
      </span>
    </form>
  );
}
