import { useState } from 'react';
import { SHEETS } from '../sheets/registry';
import { singleKeysAct, switchSingleKeys } from './single-keys';
import { Slip } from './Slip';

const KEYS: [string, string][] = [
  ['1 to 7', 'the sheets, in the order of the work'],
  ['U', 'undo'],
  ['Shift U', 'redo'],
  ['P', 'pin this revision, or take the pin out'],
  ['V', 'revisions, and what changed since the pin'],
  ['C', 'cautions'],
  ['F', 'paper: runbook and files'],
  ['D', 'day paper or night drawing'],
  ['N', 'new: a disk on the Bench, a pool, a share, a job, a log entry'],
  ['H', 'new host, on the Bench'],
  ['L', 'on the Bench: paste what a machine prints'],
  ['S', 'on the Bench: which disk is in the hand, by its label or serial'],
  ['T', 'on the Bench: the disks as a table, to type and paste into'],
  ['Space', 'on the Bench: take the disk in focus into the hand; on a bay: put it there'],
  ['Arrows', 'move between views, the cells of Proof and those of the access matrix'],
  ['Enter', 'open what is in focus'],
  ['Esc', 'close the slip, or put the disk back'],
  ['Tab', 'everything else, in reading order'],
];

/** The keys, all of them; and the single ones can be switched off. */
export function KeysSlip({ onClose }: { onClose: () => void }) {
  const [on, setOn] = useState(singleKeysAct);
  return (
    <Slip title="Keys" onClose={onClose}>
      <label className="mb-3 flex items-center gap-2">
        <input
          type="checkbox"
          className="size-4 accent-(--accent)"
          checked={on}
          onChange={(e) => {
            switchSingleKeys(e.target.checked);
            setOn(e.target.checked);
          }}
        />
        single keys act; without them there are the buttons, Tab, arrows, Enter and Esc
      </label>
      <dl className="grid grid-cols-[112px_1fr] gap-y-1.5">
        {KEYS.map(([key, what]) => (
          <Key key={key} name={key} what={what} />
        ))}
        {SHEETS.filter((s) => s.views.length).map((s) => (
          <Key
            key={s.id}
            name={s.views.map((v) => v.key.toUpperCase()).join(' ')}
            what={`on ${s.title}: ${s.views.map((v) => v.title).join('; ')}`}
          />
        ))}
      </dl>
    </Slip>
  );
}

function Key({ name, what }: { name: string; what: string }) {
  return (
    <div className="contents">
      <dt className="figure font-semibold">{name}</dt>
      <dd>{what}</dd>
    </div>
  );
}
