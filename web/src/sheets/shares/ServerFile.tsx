/** A file that a host would be given, as it would be handed over now. */

import { useState } from 'react';
import { usePapers, usePaperText } from '../../api/papers';
import { usePlan } from '../../api/plan';
import { Copy } from '../../parts/Copy';

export function ServerFile() {
  const { plan } = usePlan();
  const papers = usePapers();
  const [name, setName] = useState('smb.conf');
  const [wanted, setWanted] = useState('');
  const files = (papers.data ?? []).filter((p) => p.hosts?.length);
  const chosen = files.find((p) => p.name === name) ?? files[0];
  const hosts = plan.hosts.filter((h) => chosen?.hosts?.includes(h.id));
  const host = hosts.find((h) => h.id === wanted) ?? hosts[0];
  const file = usePaperText(chosen?.name, host?.id);
  if (!chosen || !host)
    return (
      <section aria-label="Server file" data-waiting={papers.isPending || undefined}>
        <h2>Server files</h2>
        <p className="text-quiet">They are written here as soon as a dataset is shared.</p>
      </section>
    );
  return (
    <section aria-label="Server file" data-copies className="flex min-h-0 min-w-0 flex-col">
      <div className="flex flex-wrap items-baseline gap-2">
        <select
          className="entry figure !w-auto font-semibold"
          aria-label="File"
          value={chosen.name}
          onChange={(e) => setName(e.target.value)}
        >
          {files.map((p) => (
            <option key={p.name}>{p.name}</option>
          ))}
        </select>
        <span className="text-quiet">for</span>
        <select className="entry !w-auto" aria-label="Host" value={host.id} onChange={(e) => setWanted(e.target.value)}>
          {hosts.map((h) => (
            <option key={h.id} value={h.id}>
              {h.name}
            </option>
          ))}
        </select>
        <span className="ml-auto">
          <Copy text={file.data ?? ''} name={`copy ${chosen.name}`} />
        </span>
      </div>
      <p className="unit">{chosen.about}</p>
      <pre
        role="group"
        tabIndex={0}
        aria-label={`text of ${chosen.name}`}
        data-waiting={file.data === undefined ? true : undefined}
        className="figure relative mt-1 max-h-[560px] overflow-auto border border-line p-2 text-[12px] leading-[1.35]"
      >
        {file.error ? file.error.message : file.data}
      </pre>
    </section>
  );
}
