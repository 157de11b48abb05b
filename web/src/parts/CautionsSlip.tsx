import { useNavigate } from 'react-router';
import type { Schemas } from '../api/client';
import { useChange, usePlan, type Edit } from '../api/plan';
import { Slip } from './Slip';

/** All cautions with why and what would help, the serious ones first. */
export function CautionsSlip({ onClose }: { onClose: () => void }) {
  const { evaluation, meta } = usePlan();
  const navigate = useNavigate();
  const { cautions } = evaluation;
  return (
    <Slip title={`${cautions.length} cautions`} onClose={onClose} wide>
      {cautions.length === 0 && <p>Nothing to point at. Add disks, data and copies, and look again.</p>}
      <ul>
        {cautions.map((c) => (
          <li key={`${c.rule}-${c.about}-${c.why}`} className="border-b border-hair py-2">
            <div className="flex items-baseline gap-3">
              <span
                className={`w-16 shrink-0 ${c.severity === 'serious' ? 'font-semibold text-danger' : 'text-quiet'}`}
              >
                {c.severity}
              </span>
              <div className="min-w-0 flex-1">
                <span className="font-semibold">{c.name}</span>: {c.why}
                {c.could && <div>{c.could}</div>}
                <div className="text-quiet">
                  {c.remedy} {c.fix && <FixButton fix={c.fix} />}
                </div>
              </div>
              <button
                className="underline"
                onClick={() => {
                  onClose();
                  void navigate(`/plan/${meta.id}/${c.sheet}`);
                }}
              >
                {c.sheet}
              </button>
            </div>
          </li>
        ))}
      </ul>
    </Slip>
  );
}

/** Settles a finding with one click; undo takes it back. */
function FixButton({ fix }: { fix: Schemas['Fix'] }) {
  const change = useChange();
  const apply = async () => {
    for (const put of fix.puts) {
      const edit = (
        put.item
          ? { do: 'put', collection: put.collection, item: put.item }
          : { do: 'remove', collection: put.collection, id: put.id }
      ) as Edit;
      await change.mutateAsync({ edit });
    }
  };
  return (
    <button
      className="act ml-1 text-ink"
      disabled={change.isPending}
      onClick={() => void apply().catch(() => undefined)}
    >
      {fix.label}
      {change.isError && <span className="text-danger"> {change.error.message}</span>}
    </button>
  );
}
