/** What a machine prints, pasted or dropped: what it would add is drawn beside what is there, and taken. */

import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { call, type Schemas } from '../../api/client';
import { useChange, usePlan } from '../../api/plan';
import { droppable, FileButton } from '../../parts/FileButton';
import { Slip } from '../../parts/Slip';
import { size, words } from '../../text/format';
import { chosenOf, disksOf, type Thing } from './taking';

const LONGEST = 200_000;

export function Paste({ onClose }: { onClose: () => void }) {
  const { plan, meta } = usePlan();
  const change = useChange();
  const [text, setText] = useState('');
  const [host, setHost] = useState('');
  const [off, setOff] = useState<ReadonlySet<string>>(new Set());
  const read = useMutation({
    mutationFn: async ({ content, of }: { content: string; of: string }) =>
      (await call(
        'POST',
        `/api/plans/${meta.id}/looks/read${of ? `?host=${of}` : ''}`,
        content || '\n',
      )) as Schemas['LookRead'],
  });
  const look = read.data;
  const things = look?.takes.things.filter((t) => t.what !== 'same') ?? [];
  const chosen = chosenOf(things, off);
  const again = (content: string, of: string) => {
    setOff(new Set());
    read.mutate({ content, of });
  };
  // What is too long to be edited is kept whole, and shown by its beginning.
  const shown = text.length > LONGEST ? `${text.slice(0, LONGEST)}\n...` : text;
  const bring = (content: string) => {
    setText(content);
    again(content, host);
  };
  const take = () =>
    change.mutate(
      {
        edit: {
          do: 'take',
          things: chosen.map((t) => ({ collection: t.collection, item: t.item })),
          said: look?.host_name ? `a look at ${look.host_name}` : 'what was pasted',
        },
      },
      { onSuccess: onClose },
    );
  const box = plan.hosts.find((h) => h.id === look?.takes.host);
  return (
    <Slip title="Paste what a machine prints" onClose={onClose} broad>
      <p className="text-quiet">
        The document of <code className="figure">lab-look</code> (Paper has it: it changes nothing and reads no secret),
        or a listing: <code className="figure">lsblk -J -b -O</code>, <code className="figure">smartctl -j -a</code>,{' '}
        <code className="figure">zpool status</code>, <code className="figure">zfs list</code>,{' '}
        <code className="figure">/proc/mdstat</code>, smb.conf, exports, several after their prompts; or a table of
        disks from a spreadsheet (label, serial, capacity, price, host, bay).
      </p>
      <textarea
        className="entry figure mt-1"
        rows={look ? 4 : 12}
        data-autofocus
        aria-label="What the machine printed"
        spellCheck={false}
        value={shown}
        readOnly={shown !== text}
        onChange={(e) => setText(e.target.value)}
        {...droppable(bring)}
        onPaste={(e) => {
          const whole = e.clipboardData.getData('text/plain');
          if (!text.trim() && whole.trim()) again(whole, host);
        }}
      />
      <div className="my-1 flex flex-wrap items-center gap-2">
        <FileButton onText={bring} />
        <span>of</span>
        <select
          className="entry !w-auto"
          aria-label="Of which host"
          value={host}
          onChange={(e) => {
            setHost(e.target.value);
            if (text.trim()) again(text, e.target.value);
          }}
        >
          <option value="">the host it names, or a new one</option>
          {plan.hosts.map((h) => (
            <option key={h.id} value={h.id}>
              {h.name}
            </option>
          ))}
        </select>
        <button className="act font-semibold" disabled={read.isPending} onClick={() => again(text, host)}>
          read it
        </button>
      </div>
      {(read.error ?? change.error) && (
        <p role="alert" className="text-danger">
          {(read.error ?? change.error)?.message}
        </p>
      )}
      {look && (
        <div aria-live="polite">
          <h3 className="mt-2 border-b border-ink">
            {box
              ? `What it would change: ${box.name}`
              : `What it would add${look.host_name ? `: ${look.host_name}` : ''}`}
          </h3>
          {things.length === 0 && <p>Nothing: the plan says all of it already.</p>}
          <Front things={things} off={off} />
          {things.length > 0 && (
            <ul className="mt-1">
              {things.map((t) => (
                <Row
                  key={t.key}
                  thing={t}
                  taken={chosen.includes(t)}
                  onTake={(on) => {
                    const next = new Set(off);
                    if (on) next.delete(t.key);
                    else next.add(t.key);
                    setOff(next);
                  }}
                />
              ))}
            </ul>
          )}
          {things.length > 0 && (
            <p className="sticky -bottom-3 mt-2 border-t border-ink bg-paper py-2">
              <button
                data-for="plans"
                className="act font-semibold"
                disabled={!chosen.length || change.isPending}
                onClick={take}
              >
                take over{' '}
                {chosen.length === things.length ? `all ${things.length}` : `${chosen.length} of ${things.length}`}
              </button>{' '}
              <span className="text-quiet">in one change: one undo gives it back</span>
            </p>
          )}
          <Missed title="Not taken" lines={look.takes.not_taken} />
          <Missed
            title="Not understood"
            lines={look.heard.flatMap((h) => [
              ...(h.why ? [`${h.asked}: ${h.why}`] : []),
              ...h.not_understood.map((line) => `${h.asked}: ${line}`),
            ])}
          />
          <Missed title="Not seen" lines={look.unseen} />
        </div>
      )}
    </Slip>
  );
}

/** The box's front as it would be: outlined what is planned, in ink what was found. */
function Front({ things, off }: { things: Thing[]; off: ReadonlySet<string> }) {
  const disks = disksOf(things).filter((d) => !off.has(d.key));
  if (!disks.length) return null;
  const tallest = Math.max(...disks.map((d) => d.bytes));
  return (
    <div className="mt-2 flex w-fit max-w-full flex-wrap items-end border border-ink px-1 pt-2" aria-hidden="true">
      {disks.map((d) => (
        <span key={d.key} className="flex w-[58px] flex-col items-center border-r border-hair last:border-r-0">
          <svg width="30" height={Math.max(10, (d.bytes / tallest) * 56)}>
            <rect
              x="0.5"
              y="0.5"
              width="29"
              height={Math.max(10, (d.bytes / tallest) * 56) - 1}
              fill={d.pool ? 'url(#hatch-data)' : 'none'}
              stroke="var(--ink)"
              strokeDasharray={d.isNew ? undefined : '3 2'}
            />
          </svg>
          <span className="max-w-full truncate text-[12px] font-semibold">{d.label}</span>
          <span className="figure text-[12px] text-quiet">{size(d.bytes)}</span>
          <span className="unit figure">{d.bay}</span>
        </span>
      ))}
    </div>
  );
}

function Row({ thing, taken, onTake }: { thing: Thing; taken: boolean; onTake: (on: boolean) => void }) {
  return (
    <li className="border-b border-hair py-0.5">
      <label className="grid grid-cols-[24px_78px_minmax(0,1fr)] gap-x-2">
        <input
          type="checkbox"
          className="size-[24px] accent-(--accent)"
          checked={taken}
          onChange={(e) => onTake(e.target.checked)}
        />
        <span className="unit">
          {thing.what} {words(thing.collection.replace(/s$/, ''))}
        </span>
        <span className="wrap-anywhere">
          <b>{thing.name}</b> {thing.why && <span>{thing.why}</span>}
          {thing.guess && <span className="block text-quiet">guessed: {thing.guess}</span>}
        </span>
      </label>
    </li>
  );
}

function Missed({ title, lines }: { title: string; lines: readonly string[] }) {
  if (!lines.length) return null;
  return (
    <details className="mt-2" open={title === 'Not taken'}>
      <summary className="border-b border-line font-semibold">
        {title}: <span className="figure">{lines.length}</span>
      </summary>
      <ul>
        {lines.slice(0, 200).map((line, n) => (
          <li key={n} className="border-b border-hair py-0.5 wrap-anywhere">
            {line}
          </li>
        ))}
      </ul>
    </details>
  );
}
