/** Who is signed in, and what they may do. */

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { api, call, unwrap, type Collection, type Schemas } from './client';
import { letGo, letGoOfState } from './device';
import { ROOT } from './root';

export type Visitor = Schemas['VisitorView'];
export const VISITOR = ['visitor'] as const;

const NOBODY: Visitor = {
  name: '',
  role: 'reader',
  signed_in: false,
  anybody: true,
  first: false,
  second: false,
  owes: false,
  given: false,
  passkeys: false,
};

export function useVisitorQuery() {
  return useQuery({
    queryKey: VISITOR,
    queryFn: async () => unwrap(await api.GET('/api/visitor')),
    staleTime: Infinity,
  });
}

/** Who is signed in; a planner without a name where nobody has to sign in. */
export function useVisitor(): Visitor {
  const { data } = useVisitorQuery();
  return data ?? NOBODY;
}

/** Whether the visitor may add to this collection and change what is in it; without one: the plan. */
export function useMay(collection?: Collection): boolean {
  const { role } = useVisitor();
  return role === 'planner' || (role === 'hands' && (collection === 'log' || collection === 'ticks'));
}

/** Coming in and going out; what was fetched for somebody else is forgotten. */
export function useDoor() {
  const client = useQueryClient();
  return {
    enter: async (visitor: Visitor) => {
      // What the device kept was somebody's, perhaps with more rights; what waits there stays theirs.
      await letGoOfState();
      client.removeQueries({ predicate: (q) => q.queryKey[0] !== 'visitor' });
      client.setQueryData(VISITOR, visitor);
    },
    leave: async () => {
      await call('POST', '/api/visitor/out');
      await letGo();
      client.clear();
      // Whatever the page still held is gone with it.
      window.location.assign(ROOT);
    },
  };
}
