import { useNavigate } from 'react-router';
import { usePlan } from '../api/plan';
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
                <div className="text-quiet">{c.remedy}</div>
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
