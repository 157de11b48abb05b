import { useNavigate } from 'react-router';
import type { Schemas } from '../api/client';
import { useChange, usePlan, type Edit } from '../api/plan';
import { words } from '../text/format';
import { Slip } from './Slip';

type Cause = Schemas['Cause'];

/** All cautions, a cause each with its members and its one way out; what could cost most on top. */
export function CautionsSlip({ onClose }: { onClose: () => void }) {
  const { evaluation, meta } = usePlan();
  const navigate = useNavigate();
  const { causes } = evaluation;
  return (
    <Slip title={`${causes.length} ${causes.length === 1 ? 'caution' : 'cautions'}`} onClose={onClose} wide>
      {causes.length === 0 && <p>Nothing to point at. Add disks, data and copies, and look again.</p>}
      {causes.length > 3 && (
        <p className="text-quiet">
          One cause is one caution. The serious ones first, and among them what touches the data that is worth most.
        </p>
      )}
      <ul>
        {causes.map((c) => (
          <li key={c.rule} className="border-b border-hair py-2">
            <div className="flex items-baseline gap-3">
              <span
                className={`w-16 shrink-0 ${c.severity === 'serious' ? 'font-semibold text-danger' : 'text-quiet'}`}
              >
                {c.severity}
              </span>
              <div className="min-w-0 flex-1">
                <Members cause={c} />
                {c.could && <div>{c.could}</div>}
                {c.follows.length > 0 && <div className="text-quiet">From this follows: {followed(c.follows)}.</div>}
                <div className="text-quiet">
                  {c.remedy} {c.members.length === 1 && c.members[0]?.fix && <FixButton fix={c.members[0].fix} />}
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

/** Those concerned: said once where the reason is the same, else one after the other. */
function Members({ cause }: { cause: Cause }) {
  const [first, ...rest] = cause.members;
  if (!first) return null;
  if (rest.every((m) => m.why === first.why))
    return (
      <span>
        <span className="font-semibold">{cause.members.map((m) => m.name).join('; ')}</span>: {first.why}
      </span>
    );
  return (
    <ul>
      {cause.members.map((m) => (
        <li key={`${m.about}-${m.why}`}>
          <span className="font-semibold">{m.name}</span>: {m.why} {m.fix && <FixButton fix={m.fix} />}
        </li>
      ))}
    </ul>
  );
}

/** What follows, rule by rule, with those concerned. */
export function followed(follows: Cause['follows']): string {
  const rules = [...new Set(follows.map((f) => f.rule))];
  const names = (rule: string) => follows.filter((f) => f.rule === rule).map((f) => f.name);
  return rules.map((rule) => `${words(rule)} (${names(rule).join('; ')})`).join(', ');
}

/** A cause in one line, for the foot of a sheet. */
export function causeLine(cause: Cause): { name: string; why: string } {
  const [first, ...rest] = cause.members;
  const more = rest.length ? ` and ${rest.length} more` : '';
  return { name: `${first?.name ?? ''}${more}`, why: first?.why ?? '' };
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
      data-for="plans"
      className="act ml-1 text-ink"
      disabled={change.isPending}
      onClick={() => void apply().catch(() => undefined)}
    >
      {fix.label}
      {change.isError && <span className="text-danger"> {change.error.message}</span>}
    </button>
  );
}
