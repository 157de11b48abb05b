/** A sentence in which what is typed stands apart; one click on a command selects all of it. */

import { Fragment } from 'react';
import { pieces } from '../text/typed';

export function Words({ children }: { children: string }) {
  return pieces(children).map((piece, n) => (n % 2 ? <Command key={n}>{piece}</Command> : piece));
}

// Characters of a word that fits on a phone's line; a longer one is cut where it must be, and only then. A bracket
// before or behind such a block may stand alone on a line, so the short ones, nearly all, are none.
const LONG = 28;

/** A word of it goes to the next line whole: a hyphen at a line's end would be taken for one that is not there. */
function Command({ children }: { children: string }) {
  return (
    <code className="typed">
      {children.split(' ').map((word, n) => (
        <Fragment key={n}>
          {n > 0 && ' '}
          <span className={word.length > LONG ? 'inline-block max-w-full' : 'whitespace-nowrap'}>{word}</span>
        </Fragment>
      ))}
    </code>
  );
}
