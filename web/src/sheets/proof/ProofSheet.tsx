/** Proof: what would be lost, two things at once, over the years, and against another plan. */

import { useState } from 'react';
import { usePlan } from '../../api/plan';
import { Empty } from '../../parts/Empty';
import { Views } from '../../parts/Views';
import { AgainstView } from './AgainstView';
import { CellsView } from './CellsView';
import { LabView } from './LabView';
import { PairsView } from './PairsView';

const VIEWS = [
  { id: 'cells', title: 'one at a time', key: 'o' },
  { id: 'pairs', title: 'two at once', key: 't' },
  { id: 'lab', title: 'over the years', key: 'y' },
  { id: 'against', title: 'against another plan', key: 'a' },
] as const;
type View = (typeof VIEWS)[number]['id'];

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
    <div>
      <Views views={VIEWS} view={view} onView={setView} />
      {view === 'cells' && <CellsView />}
      {view === 'pairs' && <PairsView />}
      {view === 'lab' && <LabView />}
      {view === 'against' && <AgainstView />}
    </div>
  );
}
