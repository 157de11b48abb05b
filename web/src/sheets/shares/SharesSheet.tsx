/** Shares: who may touch what and why, over every protocol, and the files that servers are given. */

import { useState } from 'react';
import { useKeys } from '../../parts/useKeys';
import { Addresses } from './Addresses';
import { Cards } from './Cards';
import { MatrixView } from './MatrixView';
import { OtherWays } from './OtherWays';
import { ReadBack } from './ReadBack';
import { Rooms } from './Rooms';

const VIEWS = [
  { id: 'matrix', title: 'people', key: 'm' },
  { id: 'ways', title: 'other ways', key: 'w' },
  { id: 'rooms', title: 'datasets and quotas', key: 't' },
  { id: 'addresses', title: 'addresses and apps', key: 'a' },
  { id: 'cards', title: 'cards', key: 'k' },
  { id: 'read', title: 'read a file', key: 'r' },
] as const;
type View = (typeof VIEWS)[number]['id'];

export function SharesSheet() {
  const [view, setView] = useState<View>('matrix');
  useKeys(Object.fromEntries(VIEWS.map((v) => [v.key, () => setView(v.id)])));
  return (
    <div>
      <div className="mb-2 flex flex-wrap gap-x-3" role="tablist" aria-label="Views">
        {VIEWS.map((v) => (
          <button
            key={v.id}
            role="tab"
            aria-selected={v.id === view}
            className={`border-b-2 px-1.5 py-1 ${v.id === view ? 'border-ink font-semibold' : 'border-transparent text-quiet'}`}
            onClick={() => setView(v.id)}
          >
            {v.title} <span className="unit">{v.key.toUpperCase()}</span>
          </button>
        ))}
      </div>
      {view === 'matrix' && <MatrixView />}
      {view === 'ways' && <OtherWays />}
      {view === 'rooms' && <Rooms />}
      {view === 'addresses' && <Addresses />}
      {view === 'cards' && <Cards />}
      {view === 'read' && <ReadBack />}
    </div>
  );
}
