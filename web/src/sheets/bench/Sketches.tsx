/** Labs to start from, as small drawings: taken with a few questions, and changed afterwards. */

import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, Refused, unwrap, type Schemas } from '../../api/client';
import { useChange } from '../../api/plan';
import { Slip } from '../../parts/Slip';
import { size } from '../../text/format';

type Sketch = Schemas['SketchView'];

export function Sketches() {
  const [open, setOpen] = useState<Sketch | null>(null);
  const { data } = useQuery({
    queryKey: ['sketches'],
    staleTime: Infinity,
    queryFn: async () => unwrap(await api.GET('/api/sketches')).sketches,
  });
  return (
    <section aria-label="Sketches" className="mt-3">
      <h2 className="border-b border-ink">Or begin with a sketch</h2>
      <p className="text-quiet">A whole lab to start from: change everything in it as you like, undo takes it back.</p>
      <ul className="mt-2 grid grid-cols-[repeat(auto-fill,minmax(252px,1fr))] gap-3">
        {data?.map((s) => (
          <li key={s.id}>
            <button
              className="flex h-full w-full flex-col border border-line p-2 text-left hover:border-ink hover:bg-desk"
              onClick={() => setOpen(s)}
            >
              <Drawing drawn={s.drawn} />
              <b className="mt-1">{s.title}</b>
              <span className="text-quiet">{s.says}</span>
              <span className="unit mt-1">{s.drawn.copies.join('; ')}</span>
            </button>
          </li>
        ))}
      </ul>
      {open && <Questions sketch={open} onClose={() => setOpen(null)} />}
    </section>
  );
}

const WIDTH = 232;
const TALL = 40;

function Drawing({ drawn }: { drawn: Sketch['drawn'] }) {
  const all = [...drawn.boxes.flatMap((b) => b.bays), ...drawn.shelf];
  const tallest = Math.max(1, ...all);
  const bar = (bytes: number, x: number, key: string) => {
    const high = bytes ? Math.max(8, (bytes / tallest) * TALL) : TALL;
    return (
      <rect
        key={key}
        x={x + 0.5}
        y={TALL + 6.5 - high}
        width={11}
        height={high}
        fill={bytes ? 'url(#hatch-data)' : 'none'}
        stroke={bytes ? 'var(--ink)' : 'var(--line)'}
        strokeDasharray={bytes ? undefined : '2 2'}
      />
    );
  };
  let x = 1;
  const boxes = drawn.boxes.map((box) => {
    const shown = box.bays.slice(0, 8);
    const wide = Math.max(46, shown.length * 14 + 8);
    const at = x;
    x += wide + 16;
    return (
      <g key={box.name}>
        <rect x={at + 0.5} y={0.5} width={wide} height={TALL + 11} fill="none" stroke="var(--ink)" />
        {shown.map((bytes, n) => bar(bytes, at + 5 + n * 14, `${box.name}${n}`))}
        <text x={at} y={TALL + 25}>
          {box.name.length > 14 ? `${box.name.slice(0, 13)}…` : box.name}
        </text>
      </g>
    );
  });
  const shelf = drawn.shelf.map((bytes, n) => bar(bytes, x + 4 + n * 14, `shelf${n}`));
  return (
    <svg viewBox={`0 0 ${WIDTH} ${TALL + 28}`} width={WIDTH} className="max-w-full" aria-hidden="true">
      {boxes}
      {shelf}
      {drawn.shelf.length > 0 && (
        <>
          <path d={`M${x} ${TALL + 8} h${drawn.shelf.length * 14 + 6}`} stroke="var(--ink)" strokeWidth={3} />
          <text x={x} y={TALL + 25}>
            shelf
          </text>
        </>
      )}
    </svg>
  );
}

function Questions({ sketch, onClose }: { sketch: Sketch; onClose: () => void }) {
  const change = useChange();
  const [answers, setAnswers] = useState<Record<string, string>>({});
  const wrong = change.error instanceof Refused ? change.error.problem.errors : [];
  const hints: Record<string, string> = {
    disk: 'as sold: 4TB, 500 GB',
    data: 'as 1.4 TB or 300 GB',
    people: 'names with blanks between',
    name: '',
  };
  return (
    <Slip title={`Start from ${sketch.title}`} onClose={onClose}>
      <Drawing drawn={sketch.drawn} />
      <form
        className="mt-2 grid gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          change.mutate({ edit: { do: 'sketch', sketch: sketch.id, answers } }, { onSuccess: onClose });
        }}
      >
        {sketch.asks.map((ask, n) => {
          const bad = wrong.find((w) => w.field === ask.id);
          return (
            <label key={ask.id} className="block">
              {ask.label} <span className="unit">{hints[ask.kind]}</span>
              <input
                className="entry"
                data-autofocus={n === 0 || undefined}
                maxLength={200}
                aria-invalid={Boolean(bad)}
                value={answers[ask.id] ?? ask.start}
                onChange={(e) => setAnswers({ ...answers, [ask.id]: e.target.value })}
              />
              {bad && (
                <span role="alert" className="text-danger">
                  {bad.message}
                </span>
              )}
            </label>
          );
        })}
        {change.error && wrong.length === 0 && (
          <p role="alert" className="text-danger">
            {change.error.message}
          </p>
        )}
        <button className="act font-semibold" disabled={change.isPending}>
          start from it
        </button>
      </form>
      <p className="unit mt-3">
        Disks in it:{' '}
        {[...sketch.drawn.boxes.flatMap((b) => b.bays), ...sketch.drawn.shelf].filter(Boolean).map(size).join(', ')}.
        Copies: {sketch.drawn.copies.join('; ')}.
      </p>
    </Slip>
  );
}
