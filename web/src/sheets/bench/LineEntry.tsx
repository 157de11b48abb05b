/** One line that makes disks and puts them into bays; what it will do stands under it. */

import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { call, type Schemas } from '../../api/client';
import { useChange, usePlan } from '../../api/plan';

export function LineEntry() {
  const { meta } = usePlan();
  const change = useChange();
  const [text, setText] = useState('');
  const read = useQuery({
    queryKey: ['line', meta.id, meta.revision, text],
    enabled: text.trim() !== '',
    placeholderData: (before: Schemas['LineRead'] | undefined) => before,
    queryFn: async () => (await call('POST', `/api/plans/${meta.id}/line/read`, { text })) as Schemas['LineRead'],
  });
  const said = text.trim() ? read.data : undefined;
  const make = () => {
    if (text.trim()) change.mutate({ edit: { do: 'line', text } }, { onSuccess: () => setText('') });
  };
  return (
    <form
      data-for="plans"
      className="mt-1 max-w-[760px]"
      onSubmit={(e) => {
        e.preventDefault();
        make();
      }}
    >
      <label className="flex items-baseline gap-2">
        <span className="whitespace-nowrap">In one line</span>
        <input
          className="entry figure flex-1"
          value={text}
          list="lines"
          maxLength={400}
          aria-describedby="line-says"
          placeholder="nas: 6 x 8TB heron 179 each, 2x nvme 1TB wren"
          spellCheck={false}
          onChange={(e) => setText(e.target.value)}
        />
        <button className="act font-semibold" disabled={!said?.disks || change.isPending}>
          make <span className="unit">Enter</span>
        </button>
      </label>
      <datalist id="lines">
        {said?.completions.map((c) => (
          <option key={c} value={c} />
        ))}
      </datalist>
      <p
        id="line-says"
        aria-live="polite"
        className={`mt-0.5 min-h-[19px] ${said?.wrong || change.error ? 'text-danger' : 'text-quiet'}`}
      >
        {change.error?.message ?? said?.wrong ?? ''}
        {!change.error && said?.says}
      </p>
    </form>
  );
}
