/** All plans: open one, start an empty one, read one from a file, make a variant. */

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useId, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { api, call, Refused, unwrap, type PlanState } from '../../api/client';

export function PlansPage() {
  const client = useQueryClient();
  const navigate = useNavigate();
  const field = useId();
  const plans = useQuery({
    queryKey: ['plans'],
    queryFn: async () => unwrap(await api.GET('/api/plans')).plans,
    staleTime: 0,
  });
  const [name, setName] = useState('');
  const [currency, setCurrency] = useState('EUR');
  const [wrong, setWrong] = useState<string[]>([]);
  const [leaving, setLeaving] = useState<string | null>(null);

  const open = async (make: () => Promise<unknown>) => {
    try {
      const state = (await make()) as PlanState;
      client.setQueryData(['plan', state.meta.id], state);
      await navigate(`/plan/${state.meta.id}/bench`);
    } catch (error) {
      if (!(error instanceof Refused)) throw error;
      const { errors } = error.problem;
      setWrong([error.message, ...errors.map((e) => `${e.field}: ${e.message}`)]);
    }
  };
  const start = () =>
    open(() =>
      call('POST', '/api/plans', {
        name,
        currency,
        zone: Intl.DateTimeFormat().resolvedOptions().timeZone,
      }),
    );
  return (
    <main className="mx-auto max-w-[860px] p-4">
      <div className="border border-ink bg-paper px-6 py-4">
        <div className="flex items-baseline">
          <h1 className="flex-1 text-[20px]">Plans</h1>
          <Link className="act" to="/house">
            the house
          </Link>
        </div>
        <p className="text-quiet">
          Each plan is one lab: its disks, pools, shares and copies, and the proof of what it survives.
        </p>
        {wrong.length > 0 && (
          <div role="alert" className="my-2 border border-danger bg-blush px-2 py-1 text-danger">
            {wrong.map((w) => (
              <p key={w}>{w}</p>
            ))}
          </div>
        )}
        <table className="mt-4 w-full">
          <thead>
            <tr className="border-b border-ink">
              <th>Plan</th>
              <th>Variant</th>
              <th className="text-right">Revision</th>
              <th className="pl-4">Last change</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {plans.data?.map((p) => (
              <tr key={p.id} className="border-b border-hair">
                <td className="py-1.5">
                  <Link className="font-semibold underline" to={`/plan/${p.id}/bench`}>
                    {p.name}
                  </Link>
                </td>
                <td>{p.variant || 'only one'}</td>
                <td className="figure text-right">{p.revision}</td>
                <td className="pl-4">{p.summary}</td>
                <td className="text-right whitespace-nowrap">
                  {leaving === p.id ? (
                    <button
                      data-for="plans"
                      className="text-danger underline"
                      onClick={() => void call('DELETE', `/api/plans/${p.id}`).then(() => plans.refetch())}
                    >
                      delete with all revisions
                    </button>
                  ) : (
                    <>
                      <button
                        data-for="plans"
                        className="mr-3 underline"
                        onClick={() =>
                          void open(() =>
                            call('POST', `/api/plans/${p.id}/variants`, {
                              variant: `what if, from ${p.revision}`,
                            }),
                          )
                        }
                      >
                        what if
                      </button>
                      <button data-for="plans" className="text-quiet underline" onClick={() => setLeaving(p.id)}>
                        delete
                      </button>
                    </>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        {plans.data?.length === 0 && (
          <p className="py-2">No plan yet. Start an empty one below, or read one from a file.</p>
        )}
        <div data-for="plans" className="mt-6 grid gap-6 md:grid-cols-2">
          <form
            onSubmit={(e) => {
              e.preventDefault();
              void start();
            }}
          >
            <h2>Start an empty plan</h2>
            <label htmlFor={`${field}-name`} className="text-quiet">
              Name of the lab
            </label>
            <input id={`${field}-name`} className="entry" value={name} onChange={(e) => setName(e.target.value)} />
            <label htmlFor={`${field}-currency`} className="text-quiet">
              Currency (three letters)
            </label>
            <div className="flex gap-2">
              <input
                id={`${field}-currency`}
                className="entry figure !w-20"
                value={currency}
                onChange={(e) => setCurrency(e.target.value.toUpperCase())}
              />
              <button className="act font-semibold">start</button>
            </div>
          </form>
          <div>
            <h2>Read a plan file</h2>
            <label htmlFor={`${field}-file`} className="text-quiet">
              A plan as JSON, as Paper writes it
            </label>
            <input
              id={`${field}-file`}
              className="entry"
              type="file"
              accept=".json,application/json"
              onChange={(e) => {
                const file = e.target.files?.[0];
                if (file) void open(async () => call('POST', '/api/plans/import', await file.text()));
                e.target.value = '';
              }}
            />
          </div>
        </div>
      </div>
    </main>
  );
}
