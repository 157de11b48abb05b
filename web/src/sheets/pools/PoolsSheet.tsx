/** The Pools: what the disks give, in years to come, how likely it is lost, and how to get there. */

import { useState } from 'react';
import { usePlan } from '../../api/plan';
import { ItemForm } from '../../parts/form/ItemForm';
import { Differs } from '../../parts/Differs';
import { Slip } from '../../parts/Slip';
import { useKeys } from '../../parts/useKeys';
import { Choice, Views } from '../../parts/Views';
import { VIEWS, type View } from './views';
import { Finder } from './Finder';
import { LayoutView, NEW } from './LayoutView';
import { Odds } from './Odds';
import { ShuffleView } from './ShuffleView';
import { YearsAhead } from './YearsAhead';
import { looseDisks } from './loose';

export function PoolsSheet() {
  const { plan } = usePlan();
  const [chosen, setChosen] = useState(plan.pools[0]?.id ?? NEW);
  const [view, setView] = useState<View>('layout');
  const [editing, setEditing] = useState(false);
  const pool = plan.pools.find((p) => p.id === chosen);
  const startNew = () => {
    setChosen(NEW);
    setView('layout');
  };
  useKeys({ n: startNew });
  const ofPool = view === 'layout' || view === 'years' || view === 'odds';

  if (!plan.disks.length)
    return (
      <div className="max-w-[620px]">
        <h2>No pools yet</h2>
        <p className="my-2">
          A pool is made of disks: put hosts and disks on the Bench (key 1), and every layout that they allow is drawn
          here, with what it gives, what it survives and what it costs.
        </p>
      </div>
    );

  return (
    <div>
      <Views
        views={VIEWS}
        view={view}
        onView={setView}
        before={
          <div className="flex min-h-[30px] flex-wrap gap-2" role="group" aria-label="Pools">
            {ofPool &&
              plan.pools.map((p) => (
                <span key={p.id} className="flex items-center">
                  <Choice on={p.id === chosen} onClick={() => setChosen(p.id)}>
                    {p.name}
                    {!p.standing && <span className="unit font-normal"> wanted</span>}
                  </Choice>
                  <Differs about={p.id} />
                </span>
              ))}
            {ofPool && (
              <Choice on={chosen === NEW} onClick={startNew}>
                new pool <span className="unit">N</span>
              </Choice>
            )}
          </div>
        }
        after={
          pool &&
          ofPool && (
            <button className="act" onClick={() => setEditing(true)}>
              name, records, tier
            </button>
          )
        }
        panels={{
          layout: <LayoutView key={chosen} chosen={chosen} onChosen={setChosen} />,
          years: <YearsAhead pool={pool ?? plan.pools[0]} />,
          odds: <Odds pool={pool ?? plan.pools[0]} />,
          find: (
            <Finder
              onMade={(id) => {
                setChosen(id);
                setView('layout');
              }}
            />
          ),
          shuffle: <ShuffleView />,
        }}
      />
      {editing && pool && (
        <Slip title={`Pool ${pool.name}`} onClose={() => setEditing(false)}>
          <ItemForm
            key={pool.id}
            collection="pools"
            options={looseDisks(plan, pool)}
            item={pool}
            isNew={false}
            onDone={() => {
              setEditing(false);
              setChosen(plan.pools.find((p) => p.id !== pool.id)?.id ?? NEW);
            }}
          />
        </Slip>
      )}
    </div>
  );
}
