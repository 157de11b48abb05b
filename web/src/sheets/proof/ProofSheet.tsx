/** Proof: what would be lost, two things at once, over the years, and against another plan. */

import { useState } from 'react';
import { usePlan } from '../../api/plan';
import { Empty } from '../../parts/Empty';
import { Views } from '../../parts/Views';
import { VIEWS, type View } from './views';
import { AgainstView } from './AgainstView';
import { CellsView } from './CellsView';
import { LabView } from './LabView';
import { PairsView } from './PairsView';

export function ProofSheet() {
  const { plan } = usePlan();
  const [view, setView] = useState<View>('cells');
  if (!plan.datasets.length)
    return (
      <Empty title="Nothing to prove yet">
        Here every dataset stands against every hazard: what is lost, how old the newest copy is, and how long until
        people work again. It is computed from disks, jobs, schedules and retention. Begin with a dataset on Pools.
      </Empty>
    );
  return (
    <Views
      views={VIEWS}
      view={view}
      onView={setView}
      panels={{
        cells: <CellsView />,
        pairs: <PairsView />,
        lab: <LabView />,
        against: <AgainstView />,
      }}
    />
  );
}
