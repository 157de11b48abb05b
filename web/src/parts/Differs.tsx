/** The mark of a thing that was found otherwise than planned: where it is drawn, and the way to the two values. */

import { Link } from 'react-router';
import { useDrift } from '../api/looks';
import { usePlan } from '../api/plan';

export function Differs({ about }: { about: string }) {
  const { meta } = usePlan();
  const { data } = useDrift();
  const rows = data?.hosts.flatMap((h) => h.differences).filter((d) => d.about === about) ?? [];
  const first = rows[0];
  if (!first) return null;
  const said = rows.map((d) => `${d.field}: planned ${d.planned}, found ${d.seen}`).join('; ');
  return (
    <Link
      to={`/plan/${meta.id}/log?view=drift`}
      aria-label={`${first.name} was found otherwise than planned`}
      title={said}
      className={`figure ml-1 inline-flex size-[24px] items-center justify-center border text-[12px] no-underline max-md:size-[44px] ${rows.some((d) => d.urgent) ? 'border-danger text-danger' : 'border-line text-quiet'} hover:border-accent`}
    >
      ≠<span className="sr-only"> was found otherwise than planned</span>
    </Link>
  );
}
