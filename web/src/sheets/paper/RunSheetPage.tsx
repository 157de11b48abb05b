/** The run sheet of the shuffle alone, for a phone at the rack and for the printer. */

import { useState } from 'react';
import { Link, useParams } from 'react-router';
import type { Working } from '../../api/client';
import { PlanProvider, usePlan, usePlanQuery } from '../../api/plan';
import { useQuestion } from '../../api/questions';
import { Progress } from '../../parts/Asked';
import { WorkingSlip } from '../../parts/WorkingSlip';
import { RunSheet } from '../pools/RunSheet';

export function RunSheetPage() {
  const { plan = '' } = useParams();
  const state = usePlanQuery(plan);
  if (state.isError) return <p className="p-6 text-danger">{state.error.message}</p>;
  if (!state.data) return null;
  return (
    <PlanProvider state={state.data}>
      <Sheet />
    </PlanProvider>
  );
}

function Sheet() {
  const { plan, meta } = usePlan();
  const asking = useQuestion<'shuffle'>({ kind: 'shuffle' });
  const [working, setWorking] = useState<Working | null>(null);
  const move = asking.answer?.shuffle;
  return (
    <main className="mx-auto min-h-screen max-w-[800px] bg-paper p-4">
      <div className="no-print mb-3 flex gap-3">
        <button className="act" onClick={() => window.print()}>
          print
        </button>
        <Link className="act" to={`/plan/${meta.id}/pools`}>
          back to the plan
        </Link>
      </div>
      <h1 className="text-[20px] wrap-anywhere">Run sheet: {plan.name}</h1>
      <p className="text-quiet">
        Pull the mains plug before a case is opened; touch bare metal first; read the serial number aloud before a wipe.
      </p>
      <Progress asking={asking} what="looking for the safest order" />
      {move && (move.steps.length > 0 || move.ticked.length > 0) ? (
        <RunSheet move={move} onWorking={setWorking} />
      ) : (
        move && <p className="mt-3">{move.needs || 'Nothing is to be moved.'}</p>
      )}
      <WorkingSlip working={working} onClose={() => setWorking(null)} />
    </main>
  );
}
