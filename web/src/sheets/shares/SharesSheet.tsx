/** Shares: who may touch what and why, over every protocol, and the files that servers are given. */

import { useState } from 'react';
import { Views } from '../../parts/Views';
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
  return (
    <div>
      <Views views={VIEWS} view={view} onView={setView} />
      {view === 'matrix' && <MatrixView />}
      {view === 'ways' && <OtherWays />}
      {view === 'rooms' && <Rooms />}
      {view === 'addresses' && <Addresses />}
      {view === 'cards' && <Cards />}
      {view === 'read' && <ReadBack />}
    </div>
  );
}
