/** Edits that waited on this device and were refused when they were sent: shown, never lost by themselves. */

import { useChange } from '../api/plan';
import { drop, useQueued, type Queued } from '../api/queue';
import { useVisitor } from '../api/visitor';

function what({ edit }: Queued): string {
  if (edit.do === 'add' || edit.do === 'put') {
    const item = edit.item as { name?: string; label?: string; note?: string; kind?: string };
    const name = item.name ?? item.label ?? item.note ?? item.kind ?? '';
    return `${edit.do === 'add' ? 'new' : 'change'} among the ${edit.collection}${name && `: ${name}`}`;
  }
  return edit.do === 'remove' ? `removal among the ${edit.collection}` : edit.do;
}

export function NotTaken({ plan }: { plan: string }) {
  const { name } = useVisitor();
  const queued = useQueued(plan);
  const refused = queued.filter((q) => q.refused && q.by === name);
  const others = queued.filter((q) => q.by !== name);
  const change = useChange();
  const shown = refused.map((q) => (
    <p key={q.key} role="alert" className="text-danger">
      <b>Not taken</b>, made {new Date(q.made).toLocaleString('sv').slice(0, 16)}: {what(q)}. {q.refused}{' '}
      <button className="underline" onClick={() => void drop(q.key).then(() => change.mutate({ edit: q.edit }))}>
        make it now
      </button>{' '}
      <button className="underline" onClick={() => void drop(q.key)}>
        let it go
      </button>
    </p>
  ));
  return (
    <>
      {shown}
      {others.length > 0 && (
        <p>
          {others.length === 1 ? 'One change of' : `${others.length} changes of`}{' '}
          {[...new Set(others.map((q) => q.by || 'before there were people'))].join(', ')} wait on this device until
          they sign in here.
        </p>
      )}
    </>
  );
}
