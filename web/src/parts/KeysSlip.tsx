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
  ['N', 'new: a disk on the Bench, a pool, a dataset, a job, a log entry'],
  ['H', 'new host, on the Bench'],
  ['L Y O I S', 'on Pools: layout, years ahead, odds, find a layout, shuffle'],
  ['M W T A K R', 'on Shares: people, other ways, datasets, addresses and apps, cards, read a file'],
  ['Space', 'on the Bench: take the disk in focus into the hand; on a bay: put it there'],
  ['Arrows', 'move between the cells of Proof and of the access matrix'],
  ['Enter', 'open what is in focus'],
  ['Esc', 'close the slip, or put the disk back'],
  ['Tab', 'everything else, in reading order'],
];

/** The keys, all of them. */
export function KeysSlip({ onClose }: { onClose: () => void }) {
  return (
    <Slip title="Keys" onClose={onClose}>
      <dl className="grid grid-cols-[90px_1fr] gap-y-1.5">
        {KEYS.map(([key, what]) => (
          <div key={key} className="contents">
            <dt className="figure font-semibold">{key}</dt>
            <dd>{what}</dd>
          </div>
        ))}
      </dl>
    </Slip>
  );
}
