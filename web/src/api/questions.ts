/** Questions that take a while: asked once a revision, followed over server-sent events, stopped. */

import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/react-query';
import { api, Refused, unwrap, type Answer, type Asked, type Question } from './client';
import { usePlan } from './plan';
import { at } from './root';

type Kind = Answer['kind'];
type AnswerTo<K extends Kind> = Extract<Answer, { kind: K }>;

export interface Asking<K extends Kind> {
  answer: AnswerTo<K> | undefined;
  /** Share done (0 to 1) and a word on it while it runs. */
  progress: { share: number; word: string } | undefined;
  stopped: boolean;
  wrong: string;
  stop: () => void;
  again: () => void;
}

/** Follows a question to its end; progress goes to `tell`. */
function follow(id: string, tell: (asked: Asked) => void, signal: AbortSignal): Promise<void> {
  return new Promise((resolve, reject) => {
    const source = new EventSource(at(`/api/questions/${id}/events`));
    const end = () => {
      source.close();
      resolve();
    };
    source.addEventListener('progress', (e) => tell(JSON.parse(e.data as string) as Asked));
    source.addEventListener('end', end);
    source.onerror = () => {
      source.close();
      reject(new Error('Kavrel does not answer: is it still running?'));
    };
    // Leaving the sheet does not stop the question: coming back finds it further on.
    signal.addEventListener('abort', end);
  });
}

/** Asks the question about the open plan as it is now, again after every edit; null asks nothing. */
export function useQuestion<K extends Kind>(question: Extract<Question, { kind: K }> | null): Asking<K> {
  const { meta } = usePlan();
  const client = useQueryClient();
  const name = JSON.stringify(question);
  const key = ['question', meta.id, meta.revision, name];
  const progressKey = ['progress', ...key];
  const progress = useQuery<Asked | null>({ queryKey: progressKey, queryFn: () => null, enabled: false });
  const asked = useQuery({
    queryKey: key,
    enabled: question !== null,
    staleTime: Infinity,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) => {
      const tell = (found: Asked | null) => client.setQueryData(progressKey, found);
      const begun = unwrap(
        await api.POST('/api/plans/{plan_id}/questions', {
          params: { path: { plan_id: meta.id } },
          body: question as Question,
        }),
      );
      tell(begun);
      if (begun.state === 'waiting' || begun.state === 'running') await follow(begun.id, tell, signal);
      const ended = unwrap(await api.GET('/api/questions/{job_id}', { params: { path: { job_id: begun.id } } }));
      tell(null);
      return ended;
    },
  });
  const found = asked.data;
  const running = progress.data;
  return {
    answer: (found?.answer ?? undefined) as AnswerTo<K> | undefined,
    progress: asked.isFetching ? { share: running?.share ?? 0, word: running?.word ?? '' } : undefined,
    stopped: !asked.isFetching && found?.state === 'stopped',
    wrong: asked.error instanceof Refused || asked.error ? asked.error.message : (found?.why ?? ''),
    stop: () => {
      if (running) void api.DELETE('/api/questions/{job_id}', { params: { path: { job_id: running.id } } });
    },
    again: () => void asked.refetch(),
  };
}
