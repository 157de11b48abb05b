/** One hazard at a time: every dataset against every hazard, and the story of the chosen cell. */

import { useState } from 'react';
import { usePlan } from '../../api/plan';
import { Cells } from './Cells';
import { Story } from './Story';

export function CellsView() {
  const { evaluation } = usePlan();
  const worst = evaluation.proof.find((c) => c.fate === 'restored') ?? evaluation.proof[0];
  const [chosen, setChosen] = useState<string | null>(worst ? `${worst.dataset}/${worst.hazard}` : null);
  const days = (id: string) => evaluation.assumptions.find((a) => a.id === id)?.value ?? 0;
  const late: Record<string, string> = {
    deleted: `deleted, seen after ${days('deleted_notice_days')} d`,
    malware: `malware, seen after ${days('malware_notice_days')} d`,
    offsite_silent: `off-site silent ${days('silence_days')} d`,
    uplink_down: `uplink down ${days('uplink_days')} d`,
  };
  const columns = evaluation.hazards.map((h) => ({ ...h, short: late[h.id] ?? h.short }));
  const cell = evaluation.proof.find((c) => `${c.dataset}/${c.hazard}` === chosen);
  const hazard = columns.find((h) => h.id === cell?.hazard);
  return (
    <div>
      <div className="mb-1 flex flex-wrap items-baseline gap-3">
        <h2>What would be lost</h2>
        <span className="text-quiet">
          − work lost at worst, ↩ time to be back · still: stands still, nothing lost · bare: runs on without a fresh
          copy · heavy frame: nothing comes back · double: signed
        </span>
      </div>
      <Cells columns={columns} cells={evaluation.proof} chosen={chosen} onChoose={setChosen} />
      {cell && hazard && <Story key={chosen} cell={cell} title={hazard.title} question={hazard.question} />}
    </div>
  );
}
