import { useState } from 'react';
import { Link } from 'react-router';
import { paperAddress, usePapers } from '../../api/papers';
import { usePlan } from '../../api/plan';
import { asFile, drawings, save } from '../../drawing/save';
import { Slip } from '../../parts/Slip';

const fileName = (name: string) => name.replace(/[^\p{L}\p{N}]+/gu, '-').slice(0, 60) || 'drawing';

/** What people keep: every export of the plan. */
export function PaperSlip({ onClose }: { onClose: () => void }) {
  const { meta, plan } = usePlan();
  const papers = usePapers().data ?? [];
  const [drawn] = useState(drawings);
  const names = new Map(plan.hosts.map((h) => [h.id, h.name]));
  return (
    <Slip title="Paper" onClose={onClose}>
      <p className="mb-3 text-quiet">Everything here is computed from revision {meta.revision}.</p>
      <ul className="space-y-2">
        <li>
          <Link className="font-semibold underline" to={`/plan/${meta.id}/runbook`} target="_blank">
            Runbook to print
          </Link>
          <div className="text-quiet">in the order of work, with cautions and boxes to tick</div>
        </li>
        <li>
          <Link className="font-semibold underline" to={`/plan/${meta.id}/restore-sheet`} target="_blank">
            If something has happened
          </Link>
          <div className="text-quiet">for whoever must restore alone and has never seen the lab</div>
        </li>
        <li>
          <Link className="font-semibold underline" to={`/plan/${meta.id}/run-sheet`} target="_blank">
            Run sheet of the shuffle
          </Link>
          <div className="text-quiet">the move into new pools, to tick at the rack, on a phone too</div>
        </li>
        {drawn.length > 0 && (
          <li>
            <span className="font-semibold">Drawings of this sheet as SVG</span>{' '}
            {drawn.map((d, n) => (
              <button
                key={n}
                className="mr-3 text-left underline"
                onClick={() => save(asFile(d), `${fileName(d.name)}.svg`, 'image/svg+xml')}
              >
                {d.name}
              </button>
            ))}
          </li>
        )}
        {papers
          .filter((p) => !p.hosts)
          .map((p) => (
            <li key={p.name}>
              <a className="figure font-semibold underline" href={paperAddress(meta.id, p.name)} download={p.name}>
                {p.name}
              </a>
              <div className="text-quiet">{p.about}</div>
            </li>
          ))}
        {papers
          .filter((p) => p.hosts)
          .map((p) => (
            <li key={p.name}>
              <span className="figure font-semibold">{p.name}</span>{' '}
              {p.hosts?.map((h) => (
                <a
                  key={h}
                  className="mr-3 underline"
                  href={paperAddress(meta.id, p.name, h)}
                  download={p.name}
                  aria-label={`${p.name} for ${names.get(h) ?? h}`}
                >
                  {names.get(h) ?? h}
                </a>
              ))}
              {p.hosts?.length === 0 && <span className="text-quiet">no host needs one yet</span>}
              <div className="text-quiet">{p.about}</div>
            </li>
          ))}
      </ul>
    </Slip>
  );
}
