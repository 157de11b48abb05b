/** The papers that the plan can be written as, and their text. */

import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { api, Refused, unwrap, type Problem } from './client';
import { usePlan } from './plan';
import { at } from './root';

export function usePapers() {
  const { meta } = usePlan();
  return useQuery({
    queryKey: ['papers', meta.id, meta.revision],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      unwrap(await api.GET('/api/plans/{plan_id}/paper', { params: { path: { plan_id: meta.id } } })).papers,
  });
}

/** Where a paper is fetched from. */
export const paperAddress = (plan: string, name: string, host?: string): string =>
  at(`/api/plans/${plan}/paper/${name}${host ? `?host=${host}` : ''}`);

export function usePaperText(name: string | undefined, host: string | undefined) {
  const { meta } = usePlan();
  return useQuery({
    queryKey: ['paper', meta.id, meta.revision, name, host],
    enabled: name !== undefined && host !== undefined,
    placeholderData: keepPreviousData,
    queryFn: async () => {
      const answer = await fetch(paperAddress(meta.id, name ?? '', host));
      if (!answer.ok) throw new Refused((await answer.json()) as Problem);
      return answer.text();
    },
  });
}
