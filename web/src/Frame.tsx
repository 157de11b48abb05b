/** The frame of the drawing: tabs, consequence strip, the sheet, its cautions and the title block. */

import { Suspense, useEffect, useState } from 'react';
import { NavLink, useNavigate, useParams } from 'react-router';
import { useNewDay } from './api/day';
import { useFormsQuery } from './api/forms';
import { keepPapers } from './api/device';
import { useNotices } from './api/notices';
import { PlanProvider, useChange, useLeftOver, usePlan, usePlanQuery, useWaiting } from './api/plan';
import { overlaid, useQueued } from './api/queue';
import { useKeptSince } from './api/since';
import { useVisitor } from './api/visitor';
import { HatchDefs } from './drawing/Hatch';
import { causeLine, CautionsSlip } from './parts/CautionsSlip';
import { turnDrawing } from './parts/drawing-mode';
import { NotTaken } from './parts/NotTaken';
import { KeysSlip } from './parts/KeysSlip';
import { useKeys } from './parts/useKeys';
import { ChangesSlip } from './sheets/paper/ChangesSlip';
import { PaperSlip } from './sheets/paper/PaperSlip';
import { SHEETS } from './sheets/registry';
import { Strip } from './Strip';
import { TitleBlock } from './TitleBlock';

export type Opened = 'cautions' | 'keys' | 'paper' | 'changes' | null;

export function Frame() {
  const { plan = '' } = useParams();
  const query = usePlanQuery(plan);
  const forms = useFormsQuery();
  const queued = useQueued(plan);
  const error = query.error ?? forms.error;
  if (error)
    return (
      <div className="p-6">
        <p className="text-danger">{error.message}</p>
        <NavLink className="underline" to="/plans">
          all plans
        </NavLink>
      </div>
    );
  if (!query.data || !forms.data) return null;
  return (
    <PlanProvider state={overlaid(query.data, queued)}>
      <HatchDefs />
      <Drawing key={plan} />
    </PlanProvider>
  );
}

function Drawing() {
  const { sheet = 'bench' } = useParams();
  const { meta, plan, evaluation } = usePlan();
  const navigate = useNavigate();
  const who = useVisitor();
  const change = useChange();
  const [opened, setOpened] = useState<Opened>(null);
  const [said, setSaid] = useState('');
  const waiting = useWaiting();
  const newDay = useNewDay();
  const keptSince = useKeptSince();
  useLeftOver();
  useNotices();
  useEffect(() => void keepPapers(meta.id), [meta.id]);
  useEffect(() => {
    if (!waiting) return;
    const ask = (event: BeforeUnloadEvent) => event.preventDefault();
    window.addEventListener('beforeunload', ask);
    return () => window.removeEventListener('beforeunload', ask);
  }, [waiting]);
  const current = SHEETS.find((s) => s.id === sheet) ?? SHEETS[0];
  const base = `/plan/${meta.id}`;

  useEffect(() => {
    document.title = `${current?.title ?? ''} · ${plan.name} · Kavrel`;
    document.querySelector('nav [aria-current]')?.scrollIntoView({ block: 'nearest', inline: 'center' });
  }, [current, plan.name]);

  const step = (direction: 'undo' | 'redo') => {
    const able = direction === 'undo' ? meta.can_undo : meta.can_redo;
    if (!able) {
      setSaid(`nothing to ${direction}`);
      return;
    }
    change.mutate(
      { edit: { do: direction } },
      {
        onSuccess: (s) => setSaid(`${direction}: now at revision ${s.meta.revision}, ${s.meta.summary}`),
        onError: (e) => setSaid(e.message),
      },
    );
  };
  const pin = () => {
    const revision = meta.pinned === meta.revision ? null : meta.revision;
    change.mutate(
      { edit: { do: 'pin', revision } },
      { onSuccess: () => setSaid(revision ? `pinned revision ${revision}` : 'pin taken out') },
    );
  };
  useKeys({
    ...Object.fromEntries(SHEETS.map((s, n) => [String(n + 1), () => void navigate(`${base}/${s.id}`)])),
    u: () => step('undo'),
    U: () => step('redo'),
    p: pin,
    c: () => setOpened('cautions'),
    d: turnDrawing,
    f: () => setOpened('paper'),
    v: () => setOpened('changes'),
    '?': () => setOpened('keys'),
  });

  const here = evaluation.causes.filter((c) => c.sheet === current?.id);
  const Current = current?.component;
  return (
    <div className="mx-auto flex min-h-screen max-w-[1920px] flex-col p-2 md:h-screen md:p-2.5">
      <div className="flex min-h-0 flex-1 flex-col border border-ink bg-paper">
        <header className="no-print flex items-stretch border-b border-ink">
          <nav aria-label="Sheets" className="flex min-w-0 flex-1 overflow-x-auto">
            {SHEETS.map((s, n) => (
              <NavLink
                key={s.id}
                to={`${base}/${s.id}`}
                className={({ isActive }) =>
                  `flex items-baseline gap-2 border-r border-line px-3 py-2 ${isActive ? 'bg-picked font-semibold shadow-[inset_0_3px_0_var(--ink)]' : 'text-quiet hover:bg-desk'}`
                }
              >
                <span className="figure text-[12px]">{n + 1}</span>
                {s.title}
              </NavLink>
            ))}
          </nav>
          {who.signed_in && (
            <NavLink className="self-center px-3 text-quiet hover:text-ink" to="/house">
              {who.name}
              {who.role !== 'planner' && <span className="unit"> {who.role}</span>}
            </NavLink>
          )}
          <button className="px-3 text-quiet hover:text-ink max-md:hidden" onClick={turnDrawing}>
            day / night <span className="unit">D</span>
          </button>
          <button className="px-3 text-quiet hover:text-ink max-md:hidden" onClick={() => setOpened('keys')}>
            keys <span className="unit">?</span>
          </button>
          <span className="self-center px-3 font-bold max-md:hidden">Kavrel</span>
        </header>
        <Strip onCautions={() => setOpened('cautions')} />
        <main className="relative min-h-0 flex-1 overflow-auto px-4 py-3" tabIndex={-1}>
          <Suspense fallback={<p className="text-quiet">drawing ...</p>}>{Current && <Current />}</Suspense>
        </main>
        <footer className="no-print flex items-stretch border-t border-line max-lg:flex-col">
          <div className="min-w-0 flex-1 px-4 py-1.5" aria-live="polite">
            {waiting > 0 && (
              <p className="font-semibold text-danger">
                Not saved yet: Kavrel does not answer.{' '}
                {waiting === 1 ? 'One change waits here and goes' : `${waiting} changes wait here and go`} out as soon
                as it does.
              </p>
            )}
            {keptSince && (
              <p className="font-semibold text-danger">
                Kavrel does not answer: this is how it stood at <span className="figure">{keptSince}</span>, kept on
                this device.
              </p>
            )}
            <NotTaken plan={meta.id} />
            {newDay && (
              <p>
                A new day has begun: this is <span className="figure">{newDay}</span>.
              </p>
            )}
            {who.role !== 'planner' && (
              <p className="text-quiet">
                {who.role === 'hands'
                  ? 'You are hands here: ticks, the Log, drills and looks are yours, the plan is a planner’s.'
                  : 'You read here: papers and proof are yours, changes are a planner’s.'}
              </p>
            )}
            {said && <p>{said}</p>}
            {!said && here.length === 0 && <p className="text-quiet">No cautions on this sheet.</p>}
            {!said &&
              here.slice(0, 2).map((c) => (
                <p key={c.rule}>
                  <span className={c.severity === 'serious' ? 'font-semibold text-danger' : 'font-semibold'}>
                    {causeLine(c).name}:
                  </span>{' '}
                  {causeLine(c).why}
                </p>
              ))}
            {!said && here.length > 2 && (
              <button className="underline" onClick={() => setOpened('cautions')}>
                {here.length - 2} more on this sheet
              </button>
            )}
          </div>
          <TitleBlock onOpen={setOpened} onStep={step} onPin={pin} />
        </footer>
      </div>
      {opened === 'cautions' && <CautionsSlip onClose={() => setOpened(null)} />}
      {opened === 'keys' && <KeysSlip onClose={() => setOpened(null)} />}
      {opened === 'paper' && <PaperSlip onClose={() => setOpened(null)} />}
      {opened === 'changes' && <ChangesSlip onClose={() => setOpened(null)} />}
    </div>
  );
}
