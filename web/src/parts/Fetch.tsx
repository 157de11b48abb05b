/** How something is fetched from a copy: commands and words, for somebody who has never done it. */

import { Words } from './Words';

export function Fetch({ how }: { how: string[] }) {
  return (
    <ul className="mt-1 text-quiet">
      {how.map((line) => (
        <li key={line} className="wrap-anywhere">
          – <Words>{line}</Words>
        </li>
      ))}
    </ul>
  );
}
