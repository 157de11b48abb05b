/** Week: when everything runs, whether it fits, and the worst nights of the year. */

import { useState } from 'react';
import { Views } from '../../parts/Views';
import { VIEWS, type View } from './views';
import { ArrangeView } from './ArrangeView';
import { LanesView } from './LanesView';
import { NightsView } from './NightsView';
import { RunView } from './RunView';

export function WeekSheet() {
  const [view, setView] = useState<View>('lanes');
  return (
    <Views
      views={VIEWS}
      view={view}
      onView={setView}
      panels={{
        lanes: <LanesView />,
        arrange: <ArrangeView onDone={() => setView('lanes')} />,
        nights: <NightsView />,
        run: <RunView />,
      }}
    />
  );
}
