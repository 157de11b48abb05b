/** Copies: where they lie, what comes back, how far up each dataset stands, room, and what is elsewhere. */

import { useState } from 'react';
import { Views } from '../../parts/Views';
import { AwayView } from './AwayView';
import { BackView } from './BackView';
import { LadderView } from './LadderView';
import { RouteView } from './RouteView';
import { SpaceView } from './SpaceView';

const VIEWS = [
  { id: 'route', title: 'route', key: 'r' },
  { id: 'back', title: 'have it back', key: 'b' },
  { id: 'ladder', title: 'three, two, one', key: 't' },
  { id: 'space', title: 'space', key: 's' },
  { id: 'away', title: 'elsewhere', key: 'e' },
] as const;
type View = (typeof VIEWS)[number]['id'];

export function CopiesSheet() {
  const [view, setView] = useState<View>('route');
  return (
    <div>
      <Views views={VIEWS} view={view} onView={setView} />
      {view === 'route' && <RouteView />}
      {view === 'back' && <BackView />}
      {view === 'ladder' && <LadderView />}
      {view === 'space' && <SpaceView />}
      {view === 'away' && <AwayView />}
    </div>
  );
}
