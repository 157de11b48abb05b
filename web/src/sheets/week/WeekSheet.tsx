/** Week: when everything runs, whether it fits, and the worst nights of the year. */

import { useState } from 'react';
import { Views } from '../../parts/Views';
import { ArrangeView } from './ArrangeView';
import { LanesView } from './LanesView';
import { NightsView } from './NightsView';

const VIEWS = [
  { id: 'lanes', title: 'the week', key: 'w' },
  { id: 'arrange', title: 'arrange for me', key: 'a' },
  { id: 'nights', title: 'nights of a year', key: 'y' },
] as const;
type View = (typeof VIEWS)[number]['id'];

export function WeekSheet() {
  const [view, setView] = useState<View>('lanes');
  return (
    <div>
      <Views views={VIEWS} view={view} onView={setView} />
      {view === 'lanes' && <LanesView />}
      {view === 'arrange' && <ArrangeView onDone={() => setView('lanes')} />}
      {view === 'nights' && <NightsView />}
    </div>
  );
}
