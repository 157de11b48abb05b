/** Two things at once, where one brings or hides the other. */

import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, unwrap } from '../../api/client';
import { usePlan } from '../../api/plan';
import { Cells } from './Cells';
import { Story } from './Story';

export function PairsView() {
  const { meta } = usePlan();
  const [chosen, setChosen] = useState<string | null>(null);
  const asked = useQuery({
    queryKey: ['pairs', meta.id, meta.revision],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      unwrap(await api.GET('/api/plans/{plan_id}/pairs', { params: { path: { plan_id: meta.id } } })),
  });
  const pairs = asked.data?.pairs ?? [];
  const cells = asked.data?.cells ?? [];
  const first = cells.find((c) => c.fate === 'restored') ?? cells[0];
  const key = chosen ?? (first ? `${first.dataset}/${first.hazard}` : null);
  const cell = cells.find((c) => `${c.dataset}/${c.hazard}` === key);
  const pair = pairs.find((p) => p.id === cell?.hazard);
  return (
    <div data-waiting={asked.data ? undefined : true}>
      <div className="mb-1 flex flex-wrap items-baseline gap-3">
        <h2>Two at once</h2>
        <span className="text-quiet">
          pairs of which one brings or hides the other; what meets by chance is lived through under over the years
        </span>
      </div>
      {pairs.length > 0 && (
        <Cells
          columns={pairs.map((p) => ({ ...p, question: p.why }))}
          cells={cells}
          chosen={key}
          onChoose={setChosen}
        />
      )}
      {cell && pair && <Story key={key} cell={cell} title={pair.title} question={pair.why} />}
    </div>
  );
}
