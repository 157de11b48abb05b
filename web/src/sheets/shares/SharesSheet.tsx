/** Shares: who may touch what and why, over every protocol, and the files that servers are given. */

import { useState } from 'react';
import { Views } from '../../parts/Views';
import { VIEWS, type View } from './views';
import { Addresses } from './Addresses';
import { Cards } from './Cards';
import { MatrixView } from './MatrixView';
import { OtherWays } from './OtherWays';
import { ReadBack } from './ReadBack';
import { Rooms } from './Rooms';

export function SharesSheet() {
  const [view, setView] = useState<View>('matrix');
  return (
    <Views
      views={VIEWS}
      view={view}
      onView={setView}
      panels={{
        matrix: <MatrixView />,
        ways: <OtherWays />,
        rooms: <Rooms />,
        addresses: <Addresses />,
        cards: <Cards />,
        read: <ReadBack />,
      }}
    />
  );
}
