/** Drills: a night that may come, played on a stand-in of one's own lab. Works with one hand on a phone.
 *
 * The stand-in lives in the server. Where nobody answers, a drill that was taken along is played alone, and judged
 * later, or by two people from its sheet.
 */

import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, unwrap, type Schemas, type Working } from '../../api/client';
import { keptPaths } from '../../api/device';
import { useChange, usePlan } from '../../api/plan';
import { useKeptSince } from '../../api/since';
import { Worked } from '../../parts/Asked';
import { Slip } from '../../parts/Slip';
import { WorkingTree } from '../../parts/WorkingTree';
import { span } from '../../text/format';
import { DrillAlone } from './DrillAlone';
import { ByHand, Console, DoneStep, DrillPage, HANDS, Sees, type Step } from './DrillParts';
import { forgetDrill, waitingDrill, type WaitingDrill } from './waiting-drill';

type Played = Schemas['PlayedView'];

interface Open {
  drill: Schemas['DrillView'];
  seed: number;
  begun?: WaitingDrill;
}

export function DrillsView() {
  const { meta } = usePlan();
  const [open, setOpen] = useState<Open | null>(null);
  const [alone, setAlone] = useState<Schemas['DrillView'] | null>(null);
  const away = useKeptSince() !== null;
  const { data, error } = useQuery({
    queryKey: ['drills', meta.id, meta.revision],
    queryFn: async () =>
      unwrap(await api.GET('/api/plans/{plan_id}/drills', { params: { path: { plan_id: meta.id } } })),
  });
  if (alone) return <DrillAlone key={alone.id} drill={alone} onClose={() => setAlone(null)} />;
  if (open) return <Drill key={`${open.drill.id} ${open.seed}`} {...open} onClose={() => setOpen(null)} />;
  if (error) return <p role="alert">{error.message}</p>;
  if (!data) return <p data-waiting>Looking…</p>;
  return (
    <div className="max-w-[860px]">
      <h2>Drills</h2>
      <p className="mb-2 text-quiet">
        Something happens to a stand-in of this lab, with your own boxes, trays and copies. You look, type and do what
        you would do; nothing real is touched. Have the restore sheet at hand: it says what helps.
      </p>
      {data.why && <p role="status">No drill can be played on this plan: {data.why}.</p>}
      {!data.why && <Along drills={data.drills} away={away} />}
      <Waiting away={away} onJudge={(begun) => setOpen({ drill: begun.drill, seed: begun.seed, begun })} />
      <ul className="sm:columns-2">
        {data.drills.map((drill) => (
          <li key={drill.id} className="flex break-inside-avoid items-baseline gap-2 border-b border-hair py-1.5">
            {away ? (
              <Link className="pick font-semibold" to={sheetOf(meta.id, drill.id, 0)}>
                {drill.title}, for two
              </Link>
            ) : (
              <button
                className="pick text-left font-semibold"
                disabled={data.why !== ''}
                onClick={() => setOpen({ drill, seed: 0 })}
              >
                {drill.title}
              </button>
            )}
            {away ? (
              <button
                className="pick ml-auto whitespace-nowrap text-quiet"
                onClick={() => setAlone(drill)}
                aria-label={`${drill.title}, alone`}
              >
                alone
              </button>
            ) : (
              <button
                className="pick ml-auto whitespace-nowrap text-quiet"
                disabled={data.why !== ''}
                onClick={() => setOpen({ drill, seed: 1 + Math.floor(Math.random() * 900) })}
                aria-label={`${drill.title}, another night`}
              >
                another night
              </button>
            )}
          </li>
        ))}
      </ul>
    </div>
  );
}

const sheetOf = (plan: string, drill: string, seed: number) => `/plan/${plan}/drill/${drill}?seed=${seed}`;

/** Both ways to play a drill without the server: its sheet for two, and what one alone looks at. */
const along = async (plan: string, drill: string) => {
  const asked = { params: { path: { plan_id: plan, drill }, query: { seed: 0 } } };
  const two = await api.GET('/api/plans/{plan_id}/drills/{drill}/sheet', asked);
  return two.error ? two : api.GET('/api/plans/{plan_id}/drills/{drill}/carried', asked);
};

const MOST_LOOKS = 100; // ten seconds

/** Takes the sheets for two along, one after the other: the server lives each one up to its night. */
function Along({ drills, away }: { drills: Schemas['DrillView'][]; away: boolean }) {
  const { meta } = usePlan();
  const [taken, setTaken] = useState<number | null>(null);
  const [failed, setFailed] = useState('');
  const kept = useQuery({
    queryKey: ['drills along', meta.id],
    staleTime: 0,
    queryFn: async () => {
      const paths = (await keptPaths()).filter((p) => p.includes(`/plans/${meta.id}/`));
      const there = (d: string, what: string) => paths.some((p) => p.endsWith(`/drills/${d}/${what}?seed=0`));
      return drills.filter((d) => there(d.id, 'sheet') && there(d.id, 'carried')).length;
    },
    networkMode: 'always',
  });
  const all = drills.length;
  if (away)
    return (
      <p role="status" className="mb-2">
        Kavrel does not answer, and the stand-in is there. {kept.data ?? 0} of {all} drills are on this device. Alone
        you look at what was taken along, and are judged later; two of you play from the sheet: one reads, the other
        acts.
      </p>
    );
  // Without the worker nothing is kept: the page is neither served over TLS nor by this machine.
  if (!('serviceWorker' in navigator) || !navigator.serviceWorker.controller) return null;
  const take = async () => {
    setFailed('');
    let came = 0;
    for (const [n, drill] of drills.entries()) {
      setTaken(n);
      const { error } = await along(meta.id, drill.id);
      if (error) setFailed(`“${drill.title}” could not be had.`);
      else came += 1;
    }
    // The worker hands an answer on before it has put it away: the last one may still be under way.
    for (let looks = 0; looks < MOST_LOOKS; looks += 1) {
      if (((await kept.refetch()).data ?? 0) >= came) break;
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
    setTaken(null);
  };
  return (
    <p className="mb-2 flex flex-wrap items-baseline gap-x-3">
      <button className="act" disabled={taken !== null} onClick={() => void take()}>
        take the drills along
      </button>
      <span className="text-quiet" role="status">
        {taken !== null
          ? `${taken} of ${all} are here …`
          : `${kept.data ?? 0} of ${all} are on this device, for where no network reaches`}
      </span>
      {failed && <span role="alert">{failed}</span>}
    </p>
  );
}

/** A drill that was played without the server: it is judged now, or let go. */
function Waiting({ away, onJudge }: { away: boolean; onJudge: (begun: WaitingDrill) => void }) {
  const { meta } = usePlan();
  const { data, refetch } = useQuery({
    queryKey: ['waiting drill', meta.id],
    staleTime: 0,
    networkMode: 'always',
    queryFn: async () => (await waitingDrill(meta.id)) ?? null,
  });
  if (!data || data.steps.length === 0) return null;
  const steps = `${data.steps.length} ${data.steps.length === 1 ? 'step' : 'steps'}`;
  return (
    <p className="mb-2 flex flex-wrap items-baseline gap-x-3 border-l-4 border-ink pl-2" role="status">
      “{data.drill.title}” was played on this device, {steps}, and waits to be judged.
      {!away && (
        <button className="act" onClick={() => onJudge(data)}>
          see how it was
        </button>
      )}
      <button className="act" onClick={() => void forgetDrill(meta.id).then(() => refetch())}>
        let it go
      </button>
    </p>
  );
}

/** One drill: what is seen, what was done, what can be done, and in the end how it went. */
function Drill({ drill, seed, begun, onClose }: Open & { onClose: () => void }) {
  const onLogged = () => void (begun && forgetDrill(meta.id));
  const { meta } = usePlan();
  const [revision] = useState(meta.revision); // a drill goes on as it began, whatever is edited meanwhile
  const [steps, setSteps] = useState<Step[]>(begun?.steps ?? []);
  const [ended, setEnded] = useState(begun !== undefined);
  const [said, setSaid] = useState<Record<string, string>>(begun?.said ?? {}); // what a deed of hands is called
  const { data, error, isFetching } = useQuery({
    queryKey: ['drill', meta.id, revision, drill.id, seed, steps, ended],
    placeholderData: (before: Played | undefined) => before,
    staleTime: Infinity,
    queryFn: async () =>
      unwrap(
        await api.POST('/api/plans/{plan_id}/drill', {
          params: { path: { plan_id: meta.id } },
          body: { drill: drill.id, seed, steps, ended },
        }),
      ),
  });
  const does = (step: Step) => setSteps([...steps, step]);
  return (
    <DrillPage
      title={drill.title}
      head={
        <>
          <Link
            className="pick ml-auto"
            to={sheetOf(meta.id, drill.id, seed)}
            target="_blank"
            title="one of you reads, the other one acts"
          >
            on paper, for two
          </Link>
          <button className="act mb-0.5" onClick={onClose}>
            leave
          </button>
        </>
      }
      left={
        <>
          {error && (
            <p role="alert" className="text-danger">
              {error.message}
            </p>
          )}
          {!data && !error && <p data-waiting>The stand-in lab is lived up to that night…</p>}
          {data && (
            <>
              <Sees start={data} caution={drill.caution} />
              <ol className="mb-2" aria-live="polite" aria-busy={isFetching}>
                {data.done.map((one, n) => (
                  <DoneStep key={n} step={one} said={said} when={hours(one.hours)} code={one.code} out={one.out} />
                ))}
              </ol>
              {!ended && <Console boxes={data.boxes} busy={isFetching} onType={does} />}
            </>
          )}
        </>
      }
      right={
        data &&
        (ended ? (
          <Judged data={data} drill={drill} said={said} again={() => setEnded(false)} onLogged={onLogged} />
        ) : (
          <>
            <ByHand
              deeds={data.deeds}
              busy={isFetching}
              onDo={(deed) => {
                setSaid({ ...said, [deed.line]: deed.says });
                does({ at: HANDS, line: deed.line });
              }}
            />
            <p className="mt-3">
              {data.left.length ? `Not right yet: ${data.left.join('; ')}.` : 'Nothing is missing any more.'}
            </p>
            <p className="mt-2 flex gap-2">
              <button className="act" disabled={isFetching} onClick={() => setEnded(true)}>
                that is it: how was it?
              </button>
              <button
                className="act"
                disabled={steps.length === 0 || isFetching}
                onClick={() => setSteps(steps.slice(0, -1))}
              >
                take the last step back
              </button>
            </p>
          </>
        ))
      }
    />
  );
}

const came = (lost: number | null) => (lost === null ? 'all' : span(lost));

/** Time and loss against what could be had, the step that cost most, and the page that says it. */
function Judged({
  data,
  drill,
  said,
  again,
  onLogged,
}: {
  data: Played;
  drill: Schemas['DrillView'];
  said: Record<string, string>;
  again: () => void;
  onLogged: () => void;
}) {
  const { plan, evaluation } = usePlan();
  const change = useChange();
  const [working, setWorking] = useState<Working | null>(null);
  const { planned } = data;
  const wrong = data.outcomes.filter((o) => o.worse_step !== null);
  // An exercise is of the site whose data it was about: another one stays due.
  const pool = plan.datasets.find((d) => d.id === data.outcomes[0]?.dataset)?.pool;
  const host = plan.pools.find((p) => p.id === pool)?.host;
  const about = plan.hosts.find((h) => h.id === host)?.site ?? '';
  if (!data.verdict) return <p data-waiting>Looking at what came of it…</p>;
  const step = (n: number) => {
    const one = data.done[n];
    return one ? (said[one.line] ?? one.line) : '';
  };
  return (
    <>
      <h2 className="border-b border-ink">How it went</h2>
      {working && (
        <Slip title={`Working: ${working.name}`} onClose={() => setWorking(null)} wide>
          <WorkingTree working={working} />
        </Slip>
      )}
      <p className="my-2 font-semibold" data-testid="verdict">
        {data.verdict}.
      </p>
      <table className="w-full">
        <thead>
          <tr className="border-b border-ink">
            <th>Data</th>
            <th className="text-right">Lost</th>
            <th className="text-right">At best</th>
          </tr>
        </thead>
        <tbody>
          {data.outcomes.map((o) => (
            <tr key={o.dataset} className="border-b border-hair">
              <td>{o.name}</td>
              <td className="text-right">
                <Worked name="" value={came(o.lost_seconds)} onOpen={() => setWorking(o.lost_working)} />
              </td>
              <td className="text-right">
                <Worked name="" value={came(o.best_seconds)} onOpen={() => setWorking(o.best_working)} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-2">
        <Worked name="It took" value={hours(data.hours)} onOpen={() => setWorking(data.hours_working)} />
        {planned && (
          <>
            , <Worked name="planned" value={hours(Number(planned.value))} onOpen={() => setWorking(planned)} />
          </>
        )}
        .
      </p>
      {wrong.map((o) => (
        <p key={o.dataset} className="mt-2">
          {o.name} could still have been saved better before “{step(o.worse_step ?? 0)}”. It happens to everybody once:
          better here than on the night.
        </p>
      ))}
      <p className="mt-2">
        The restore sheet has it under <b>{data.page}</b>.
      </p>
      <p className="mt-3 flex flex-wrap gap-2">
        <button
          data-for="hands"
          className="act"
          disabled={change.isPending || change.isSuccess || !about}
          onClick={() =>
            change.mutate(
              {
                edit: {
                  do: 'add',
                  collection: 'log',
                  item: {
                    kind: 'exercise',
                    about_kind: 'site',
                    about,
                    on: evaluation.today,
                    result: data.left.length ? 'failed' : wrong.length ? 'noted' : 'ok',
                    who: '',
                    minutes: null,
                    note: `${drill.title}: ${data.verdict}`,
                  },
                },
              },
              { onSuccess: onLogged },
            )
          }
        >
          {change.isSuccess ? 'it is in the log' : 'write it into the log'}
        </button>
        <button className="act" onClick={again}>
          go on
        </button>
      </p>
      {change.error && (
        <p role="alert" className="text-danger">
          {change.error.message}
        </p>
      )}
    </>
  );
}

const hours = (value: number): string => span(value * 3600);
