/** The forms of the plan's collections, as the server describes them. */

import { useQuery } from '@tanstack/react-query';
import { fresh, type Form } from '../parts/form/fields';
import { api, unwrap, type Collection, type Items } from './client';
import { usePlan } from './plan';

export const FORMS = ['forms'] as const;

export function useFormsQuery() {
  return useQuery({
    queryKey: FORMS,
    queryFn: async () => unwrap(await api.GET('/api/forms')),
    staleTime: Infinity,
  });
}

/** The form of a collection, and a new thing to begin with. The frame has fetched them all before. */
export function useFormOf<C extends Collection>(collection: C): { form: Form; fresh: () => Items[C] } {
  const { plan } = usePlan();
  const form = useFormsQuery().data?.forms.find((f) => f.collection === collection);
  if (!form) throw new Error(`there is no form for ${collection}`);
  return { form, fresh: () => fresh(form, plan) as unknown as Items[C] };
}

/** Makes new things to begin with, of any collection. */
export function useFresh(): <C extends Collection>(collection: C) => Items[C] {
  const { plan } = usePlan();
  const forms = useFormsQuery().data?.forms;
  return <C extends Collection>(collection: C) => {
    const form = forms?.find((f) => f.collection === collection);
    if (!form) throw new Error(`there is no form for ${collection}`);
    return fresh(form, plan) as unknown as Items[C];
  };
}

/** File systems, protocols and kinds of file by their ids, in words. */
export function useDeclared() {
  const data = useFormsQuery().data;
  const { filesystems = [], protocols = [], readers = [] } = data ?? {};
  return { filesystems, readers, protocol: new Map(protocols.map((p) => [p.id, p.title])) };
}
