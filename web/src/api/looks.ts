/** What machines said of themselves, held against the open plan. */

import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/react-query';
import { api, call, unwrap } from './client';
import { usePlan } from './plan';

/** Everything asked here hangs on the revision, and on the looks that were kept. */
const key = (plan: string, what: string, revision: number) => ['looks', plan, what, revision];

export function useDrift() {
  const { meta } = usePlan();
  return useQuery({
    queryKey: key(meta.id, 'drift', meta.revision),
    placeholderData: keepPreviousData,
    queryFn: async () =>
      unwrap(await api.GET('/api/plans/{plan_id}/drift', { params: { path: { plan_id: meta.id } } })),
  });
}

export function useFound() {
  const { meta, evaluation } = usePlan();
  return useQuery({
    queryKey: [...key(meta.id, 'found', meta.revision), evaluation.today],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      unwrap(await api.GET('/api/plans/{plan_id}/found', { params: { path: { plan_id: meta.id } } })),
  });
}

export function useWear() {
  const { meta } = usePlan();
  return useQuery({
    queryKey: key(meta.id, 'wear', meta.revision),
    placeholderData: keepPreviousData,
    queryFn: async () => unwrap(await api.GET('/api/plans/{plan_id}/wear', { params: { path: { plan_id: meta.id } } })),
  });
}

/** The newest look at each host. */
export function useNewest() {
  const { meta } = usePlan();
  return useQuery({
    queryKey: ['looks', meta.id, 'newest'],
    queryFn: async () =>
      unwrap(
        await api.GET('/api/plans/{plan_id}/looks', {
          params: { path: { plan_id: meta.id }, query: { newest: true } },
        }),
      ).looks,
  });
}

/** Tokens with which hosts send their looks. */
export function useTokens() {
  const { meta } = usePlan();
  const client = useQueryClient();
  const key = ['tokens', meta.id];
  const { data } = useQuery({
    queryKey: key,
    queryFn: async () =>
      unwrap(await api.GET('/api/plans/{plan_id}/tokens', { params: { path: { plan_id: meta.id } } })).tokens,
  });
  const place = (host: string) => `/api/plans/${meta.id}/hosts/${host}/token`;
  return {
    data,
    give: async (host: string): Promise<string> => {
      const { token } = (await call('POST', place(host))) as { token: string };
      await client.invalidateQueries({ queryKey: key });
      return token;
    },
    withdraw: async (host: string) => {
      await call('DELETE', place(host));
      await client.invalidateQueries({ queryKey: key });
    },
  };
}

/** Keeps a look that was pasted or dropped; what was asked before is asked anew. */
export function useKeepLook() {
  const { meta } = usePlan();
  const client = useQueryClient();
  return async (content: string) => {
    await call('POST', `/api/plans/${meta.id}/looks`, content || '\n');
    await client.invalidateQueries({ queryKey: ['looks', meta.id] });
  };
}
