import { Link } from 'react-router';
import { usePlan } from '../../api/plan';
import { Slip } from '../../parts/Slip';

const PAPERS: [string, string][] = [
  ['runbook.md', 'the runbook as Markdown, with tick boxes'],
  ['plan.json', 'the plan itself; reading it back gives the same plan'],
  ['disks.csv', 'the drive list for a spreadsheet'],
  ['week.ics', 'jobs and what is due, for a calendar'],
];

/** What people keep: every export of the plan. */
export function PaperSlip({ onClose }: { onClose: () => void }) {
  const { meta, plan } = usePlan();
  const base = `/api/plans/${meta.id}/paper`;
  const pools = new Map(plan.pools.map((p) => [p.id, p.host]));
  const homes = new Map(plan.datasets.map((d) => [d.id, pools.get(d.pool)]));
  const serving = new Set(plan.shares.map((s) => homes.get(s.dataset)));
  const hosts = plan.hosts.filter((h) => serving.has(h.id));
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
          <Link className="font-semibold underline" to={`/plan/${meta.id}/run-sheet`} target="_blank">
            Run sheet of the shuffle
          </Link>
          <div className="text-quiet">the move into new pools, to tick at the rack, on a phone too</div>
        </li>
        {PAPERS.map(([name, what]) => (
          <li key={name}>
            <a className="figure font-semibold underline" href={`${base}/${name}`} download={name}>
              {name}
            </a>
            <div className="text-quiet">{what}</div>
          </li>
        ))}
        {hosts.map((h) => (
          <li key={h.id}>
            <a className="figure font-semibold underline" href={`${base}/smb.conf?host=${h.id}`} download="smb.conf">
              smb.conf
            </a>{' '}
            for {h.name}
            <div className="text-quiet">the file server's configuration; it holds no password</div>
          </li>
        ))}
      </ul>
      {hosts.length === 0 && <p className="mt-3 text-quiet">No host serves a share yet, so there is no smb.conf.</p>}
    </Slip>
  );
}
