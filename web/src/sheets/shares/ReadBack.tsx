/** A server's file read back: what was understood, what was not, and how it differs from the plan. */

import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { call, type Collection, type Schemas } from '../../api/client';
import { useDeclared } from '../../api/forms';
import { useChange, usePlan, type Edit } from '../../api/plan';

export function ReadBack() {
  const { plan, meta } = usePlan();
  const { readers } = useDeclared();
  const change = useChange();
  const [kind, setKind] = useState('smb.conf');
  const [host, setHost] = useState(plan.hosts[0]?.id ?? '');
  const [text, setText] = useState('');
  const [wrong, setWrong] = useState('');
  const read = useMutation({
    mutationFn: async () =>
      (await call('POST', `/api/plans/${meta.id}/read/${kind}?host=${host}`, text || '\n')) as Schemas['Report'],
  });
  const report = read.data;
  const take = async (item: Schemas['ReadItem']) => {
    setWrong('');
    const thing = { ...item.item };
    const edit = (
      thing.id
        ? { do: 'put', collection: item.collection as Collection, item: thing }
        : { do: 'add', collection: item.collection as Collection, item: { ...thing, id: undefined } }
    ) as Edit;
    try {
      await change.mutateAsync({ edit });
      read.mutate();
    } catch (error) {
      setWrong(`${item.name}: ${(error as Error).message}`);
    }
  };
  const missed = report?.lines.filter((l) => l.verdict === 'not understood') ?? [];
  return (
    <div className="grid gap-x-8 gap-y-3 xl:grid-cols-2">
      <section aria-label="The file">
        <h2>What the server has</h2>
        <p className="text-quiet">Paste a file, or the listing of one. Nothing in it is dropped silently.</p>
        <div className="my-1 flex flex-wrap items-center gap-2">
          <select
            className="entry figure !w-auto"
            aria-label="Kind of file"
            value={kind}
            onChange={(e) => setKind(e.target.value)}
          >
            {readers.map((k) => (
              <option key={k.id} value={k.id}>
                {k.title}
              </option>
            ))}
          </select>
          of
          <select
            className="entry !w-auto"
            aria-label="Host of the file"
            value={host}
            onChange={(e) => setHost(e.target.value)}
          >
            {plan.hosts.map((h) => (
              <option key={h.id} value={h.id}>
                {h.name}
              </option>
            ))}
          </select>
          <button className="act font-semibold" disabled={!host || read.isPending} onClick={() => read.mutate()}>
            read it
          </button>
        </div>
        <textarea
          className="entry figure"
          rows={20}
          aria-label="Text of the file"
          spellCheck={false}
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
      </section>
      <section aria-label="What it says" aria-live="polite">
        <h2>What it says</h2>
        {read.error && (
          <p role="alert" className="text-danger">
            {read.error.message}
          </p>
        )}
        {wrong && (
          <p role="alert" className="text-danger">
            {wrong}
          </p>
        )}
        {!report && !read.error && <p className="text-quiet">Nothing was read yet.</p>}
        {report && (
          <>
            <p>
              <span className="figure">{report.lines.filter((l) => l.verdict === 'understood').length}</span> of{' '}
              <span className="figure">{report.lines.length}</span> lines understood,{' '}
              <span className="figure">{missed.length}</span> not.
            </p>
            <h3 className="mt-2 border-b border-ink">Against the plan</h3>
            {report.differences.length === 0 && <p>It says what the plan says.</p>}
            <ul>
              {report.differences.map((d, n) => (
                <li key={n} className="border-b border-hair py-0.5">
                  {d}
                </li>
              ))}
            </ul>
            <h3 className="mt-2 border-b border-ink">To take over</h3>
            <ul>
              {report.proposals.map((p, n) => (
                <li key={n} className="flex items-baseline gap-2 border-b border-hair py-0.5">
                  <span className="flex-1">
                    <b>{p.name}</b> <span className="unit">{p.collection}</span> {p.what}
                    {p.why && <span className="text-quiet"> ({p.why})</span>}
                  </span>
                  {p.what !== 'same' && (
                    <button data-for="plans" className="act" onClick={() => void take(p)}>
                      take over
                    </button>
                  )}
                </li>
              ))}
              {report.proposals.length === 0 && <li className="text-quiet">Nothing of it is a thing of the plan.</li>}
            </ul>
            {missed.length > 0 && <h3 className="mt-2 border-b border-ink">Not understood</h3>}
            <ul>
              {missed.map((l) => (
                <li key={l.number} className="border-b border-hair py-0.5">
                  <span className="figure">{l.number}</span> <code className="figure wrap-anywhere">{l.text}</code>{' '}
                  <span className="text-quiet">{l.why}</span>
                </li>
              ))}
            </ul>
          </>
        )}
      </section>
    </div>
  );
}
