/** A drill played alone where no server answers.
 *
 * What only looks is answered by what this device took along: how it was at the beginning. Everything that is done is
 * kept, and judged once Kavrel answers.
 */

import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, unwrap, type Schemas } from '../../api/client';
import { usePlan } from '../../api/plan';
import { ByHand, Console, DoneStep, DrillPage, HANDS, Sees, type Step } from './DrillParts';
import { keepDrill } from './waiting-drill';

const plain = (line: string) => line.trim().replace(/\s+/g, ' ');
const key = (step: { at: string; line: string }) => `${step.at} ${plain(step.line)}`;

export function DrillAlone({ drill, onClose }: { drill: Schemas['DrillView']; onClose: () => void }) {
  const { meta } = usePlan();
  const [steps, setSteps] = useState<Step[]>([]);
  const [said, setSaid] = useState<Record<string, string>>({});
  const { data, error } = useQuery({
    queryKey: ['drill alone', meta.id, drill.id],
    networkMode: 'always',
    queryFn: async () =>
      unwrap(
        await api.GET('/api/plans/{plan_id}/drills/{drill}/carried', {
          params: { path: { plan_id: meta.id, drill: drill.id }, query: { seed: 0 } },
        }),
      ),
  });
  const answers = new Map((data?.answers ?? []).map((a) => [key(a), a]));
  // From the first step on that may change something, what was taken along is what was.
  const touched = steps.findIndex((s) => !answers.has(key(s)));
  const goesOn = (next: Step[], words = said) => {
    setSteps(next);
    setSaid(words);
    void keepDrill(meta.id, { drill, seed: 0, steps: next, said: words, on: new Date().toISOString() });
  };
  const note = (step: Step, n: number) => {
    if (!answers.has(key(step))) return step.at === HANDS ? 'done' : 'what it prints is seen when Kavrel answers';
    return touched >= 0 && n > touched ? 'as it was before what you did' : '';
  };
  return (
    <DrillPage
      title={drill.title}
      head={
        <button className="act mb-0.5 ml-auto" onClick={onClose}>
          leave
        </button>
      }
      left={
        <>
          {error && <p role="alert">This drill was not taken along: {error.message}</p>}
          {data && (
            <>
              <Sees start={data.start} caution={drill.caution} />
              <ol className="mb-2" aria-live="polite">
                {steps.map((step, n) => {
                  const answer = answers.get(key(step));
                  return (
                    <DoneStep
                      key={n}
                      step={step}
                      said={said}
                      code={answer?.code}
                      out={answer?.out}
                      note={note(step, n)}
                    />
                  );
                })}
              </ol>
              <Console boxes={data.start.boxes} busy={false} onType={(step) => goesOn([...steps, step])} />
            </>
          )}
        </>
      }
      right={
        data && (
          <>
            <ByHand
              deeds={data.start.deeds}
              busy={false}
              onDo={(deed) => goesOn([...steps, { at: HANDS, line: deed.line }], { ...said, [deed.line]: deed.says })}
            />
            <p className="mt-3" role="status">
              {steps.length
                ? `${steps.length} ${steps.length === 1 ? 'step is' : 'steps are'} kept on this device, and judged once Kavrel answers.`
                : 'What you do is kept on this device, and judged once Kavrel answers.'}
            </p>
            <p className="mt-2">
              <button className="act" disabled={steps.length === 0} onClick={() => goesOn(steps.slice(0, -1))}>
                take the last step back
              </button>
            </p>
          </>
        )
      }
    />
  );
}
