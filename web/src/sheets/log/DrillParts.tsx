/** What playing a drill looks like, with the server or without: what is seen, the steps, the line to type, hands. */

import { useState, type ReactNode } from 'react';
import type { Schemas } from '../../api/client';
import { usePlan } from '../../api/plan';

export type Step = Schemas['StepAsked'];
export const HANDS = 'hands';

/** The heading, and below it what is done; beside it what can be done. */
export function DrillPage({
  title,
  head,
  left,
  right,
}: Record<'head' | 'left' | 'right', ReactNode> & { title: string }) {
  return (
    <div className="grid max-w-[1100px] gap-x-8 gap-y-3 lg:grid-cols-[minmax(0,1.5fr)_minmax(0,1fr)]">
      <section aria-label="What happens">
        <div className="flex items-baseline gap-2 border-b border-ink">
          <h2>{title}</h2>
          {head}
        </div>
        {left}
      </section>
      {right && <section aria-label="What can be done">{right}</section>}
    </div>
  );
}

/** What somebody sees first, and when. */
export function Sees({ start, caution }: { start: Schemas['PlayedView']; caution: string }) {
  const { plan } = usePlan();
  return (
    <>
      <p className="my-2 text-lg" data-testid="sees">
        <span className="figure">{clock(start.seen_at, plan.zone)}.</span> {start.sees}
      </p>
      {caution && <p className="mb-2 border-l-4 border-danger pl-2">{caution}</p>}
    </>
  );
}

/** A step that was done, with what it printed. */
export function DoneStep({
  step,
  said,
  when,
  code = 0,
  out = '',
  note = '',
}: {
  step: Step;
  said: Record<string, string>;
  when?: string;
  code?: number;
  out?: string;
  note?: string;
}) {
  const { plan } = usePlan();
  const box = plan.hosts.find((h) => h.id === step.at)?.name ?? step.at;
  return (
    <li className="border-b border-hair py-1">
      {when && <span className="unit figure">{when}</span>}{' '}
      <b className="figure wrap-anywhere">
        {step.at === HANDS ? (said[step.line] ?? step.line) : `${box}: ${step.line}`}
      </b>{' '}
      {code !== 0 && <span className="text-danger">failed, {code}</span>}
      {note && <span className="text-quiet">{note}</span>}
      {out && <pre className="figure mt-1 text-xs wrap-anywhere whitespace-pre-wrap">{out.trimEnd()}</pre>}
    </li>
  );
}

/** A line, and the box that it is typed on. */
export function Console({ boxes, busy, onType }: { boxes: string[]; busy: boolean; onType: (step: Step) => void }) {
  const { plan } = usePlan();
  const [box, setBox] = useState('');
  const [line, setLine] = useState('');
  const at = boxes.includes(box) ? box : (boxes[0] ?? '');
  return (
    <form
      className="flex flex-wrap items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        if (!line.trim() || !at) return;
        onType({ at, line: line.trim() });
        setLine('');
      }}
    >
      <label>
        <span className="sr-only">On the box</span>
        <select className="field" value={at} onChange={(e) => setBox(e.target.value)}>
          {boxes.map((b) => (
            <option key={b} value={b}>
              {plan.hosts.find((h) => h.id === b)?.name ?? b}
            </option>
          ))}
        </select>
      </label>
      <input
        className="field figure min-w-0 flex-1"
        aria-label="Command"
        placeholder={boxes.length ? 'zpool status, zfs list -t snapshot …' : 'no box answers'}
        maxLength={400}
        autoCapitalize="off"
        autoCorrect="off"
        spellCheck={false}
        disabled={!boxes.length}
        value={line}
        onChange={(e) => setLine(e.target.value)}
      />
      <button className="act" type="submit" disabled={!line.trim() || !at || busy}>
        type it
      </button>
    </form>
  );
}

/** What hands can do now. */
export function ByHand({
  deeds,
  busy,
  onDo,
}: {
  deeds: Schemas['DeedView'][];
  busy: boolean;
  onDo: (deed: Schemas['DeedView']) => void;
}) {
  return (
    <>
      <h2 className="border-b border-ink">With your hands</h2>
      <ul>
        {deeds.map((deed) => (
          <li key={deed.line} className="border-b border-hair">
            <button
              className="pick block min-h-[36px] w-full py-1.5 text-left"
              disabled={busy}
              onClick={() => onDo(deed)}
            >
              {deed.says}
            </button>
          </li>
        ))}
        {deeds.length === 0 && <li className="text-quiet">Nothing: everything stands and is open.</li>}
      </ul>
    </>
  );
}

function clock(at: string, zone: string): string {
  return new Date(at).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit', timeZone: zone });
}
