/** The title block, lower right: plan, variant, revision, last change, undo and redo, paper. */

import type { ReactNode } from 'react';
import { useQuery } from '@tanstack/react-query';
import { useNavigate } from 'react-router';
import { api, unwrap } from './api/client';
import type { Opened } from './Frame';
import { usePlan } from './api/plan';

export function TitleBlock({
  onOpen,
  onStep,
  onPin,
}: {
  onOpen: (what: Opened) => void;
  onStep: (direction: 'undo' | 'redo') => void;
  onPin: () => void;
}) {
  const { plan, meta, evaluation } = usePlan();
  const navigate = useNavigate();
  const made = useQuery({
    queryKey: ['health'],
    staleTime: Infinity,
    queryFn: async () => unwrap(await api.GET('/healthz')),
  }).data;
  return (
    <section
      aria-label="Title block"
      className="grid grid-cols-[1.3fr_1fr_1.25fr] border-ink max-lg:border-t lg:w-[560px] lg:border-l"
    >
      <Part label="Plan">
        <button className="max-w-full truncate font-semibold pick" onClick={() => void navigate('/plans')}>
          {plan.name}
        </button>
      </Part>
      <Part label="Variant">
        <span className="truncate">{plan.variant || 'only one'}</span>
      </Part>
      <Part label="Revision">
        <button className="figure pick" onClick={() => onOpen('changes')}>
          {meta.revision}
        </button>{' '}
        <button data-for="plans" className="pick" onClick={onPin} title="pin this revision (P)">
          {meta.pinned ? `pinned ${meta.pinned}` : 'pin'}
        </button>
      </Part>
      <Part label={`Last change, as of ${evaluation.today}`}>
        <span className="line-clamp-2 whitespace-normal wrap-anywhere" title={meta.summary}>
          {meta.summary}
          {meta.made_by && `, by ${meta.made_by}`}
        </span>
      </Part>
      <Part label="Undo, redo">
        <button
          data-for="plans"
          className="underline disabled:no-underline max-sm:min-h-[24px]"
          disabled={!meta.can_undo}
          onClick={() => onStep('undo')}
        >
          undo <span className="unit">U</span>
        </button>{' '}
        <button
          data-for="plans"
          className="underline disabled:no-underline max-sm:min-h-[24px]"
          disabled={!meta.can_redo}
          onClick={() => onStep('redo')}
        >
          redo <span className="unit">⇧U</span>
        </button>
      </Part>
      <Part label={made ? `Paper, Kavrel ${made.version} (schema ${made.schema_number})` : 'Paper'}>
        <button className="underline" onClick={() => onOpen('paper')}>
          runbook, files <span className="unit">F</span>
        </button>
      </Part>
    </section>
  );
}

function Part({ label, children }: { label: string; children: ReactNode }) {
  return (
    <div className="min-w-0 border-b border-l border-line px-2.5 py-1 nth-[3n+1]:border-l-0 nth-[n+4]:border-b-0">
      <div className="truncate text-[12px] text-quiet max-sm:whitespace-normal">{label}</div>
      <div className="truncate max-sm:whitespace-normal">{children}</div>
    </div>
  );
}
