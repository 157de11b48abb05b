/** Copies: where they lie, what comes back, how far up each dataset stands, room, and what is elsewhere. */

import { useState } from 'react';
import { Views } from '../../parts/Views';
import { VIEWS, type View } from './views';
import { AwayView } from './AwayView';
import { BackView } from './BackView';
import { LadderView } from './LadderView';
import { RouteView } from './RouteView';
import { SpaceView } from './SpaceView';

export function CopiesSheet() {
  const [view, setView] = useState<View>('route');
  return (
    <Views
      views={VIEWS}
      view={view}
      onView={setView}
      panels={{
        route: <RouteView />,
        back: <BackView />,
        ladder: <LadderView />,
        space: <SpaceView />,
        away: <AwayView />,
      }}
    />
  );
}
