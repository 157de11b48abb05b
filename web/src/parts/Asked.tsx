/** What a question says of itself: how far it is, a way to stop it, and what went wrong. */

import type { ReactNode } from 'react';
import type { Asking } from '../api/questions';
import type { Answer } from '../api/client';

export function Progress<K extends Answer['kind']>({ asking, what }: { asking: Asking<K>; what: string }) {
  const { progress, stopped, wrong, stop, again } = asking;
  if (progress)
    return (
      <p className="flex min-h-[26px] items-center gap-3" role="status" data-waiting>
        <span className="inline-block h-2 w-40 border border-ink" aria-hidden="true">
          <span className="block h-full bg-data" style={{ width: `${Math.round(progress.share * 100)}%` }} />
        </span>
        <span className="text-quiet">
          {what} {progress.word && <span className="figure">({progress.word})</span>}
        </span>
        <button className="act" onClick={stop}>
          stop
        </button>
      </p>
    );
  if (stopped)
    return (
      <p role="status">
        Stopped.{' '}
        <button className="pick" onClick={again}>
          ask again
        </button>
      </p>
    );
  if (wrong)
    return (
      <p role="alert" className="text-danger">
        {wrong}{' '}
        <button className="pick" onClick={again}>
          ask again
        </button>
      </p>
    );
  return null;
}

/** A figure of a table that opens its working. */
export function Told({ children, onOpen }: { children: ReactNode; onOpen: () => void }) {
  return (
    <button className="pick" title="show the working" onClick={onOpen}>
      {children}
    </button>
  );
}

/** A figure of the text that opens its working. */
export function Worked({ name, value, onOpen }: { name: ReactNode; value: ReactNode; onOpen: () => void }) {
  return (
    <button className="pick" onClick={onOpen} title="show the working">
      {name} <span className="figure font-semibold">{value}</span>
    </button>
  );
}
