/** Cards: what a person or machine types on each system, to copy, to print, or to scan. */

import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, unwrap } from '../../api/client';
import { usePlan } from '../../api/plan';
import { Copy } from '../../parts/Copy';

/** The cards of one; where nobody answers, out of all those that the device took along. */
async function cardsOf(plan_id: string, who: string) {
  const path = { plan_id };
  const answer = await api
    .GET('/api/plans/{plan_id}/cards', { params: { path, query: { who } } })
    .catch(() => api.GET('/api/plans/{plan_id}/cards', { params: { path } }));
  const { cards, codes } = unwrap(answer);
  return { cards: cards.filter((c) => c.who === who), codes };
}

export function Cards() {
  const { plan, meta } = usePlan();
  const people = plan.accounts.filter((a) => a.enabled).map((a) => a.login);
  const machines = [...new Set(plan.exports.flatMap((e) => e.clients))];
  const [who, setWho] = useState(people[0] ?? machines[0] ?? '');
  const handed = useQuery({
    queryKey: ['cards', meta.id, meta.revision, who],
    placeholderData: keepPreviousData,
    queryFn: () => cardsOf(meta.id, who),
  });
  if (!people.length && !machines.length)
    return <p>Add accounts and shares first: then each of them finds here what to type.</p>;
  const cards = handed.data?.cards;
  const codes = handed.data?.codes ?? {};
  const things = [...new Set(cards?.map((c) => c.thing))];
  return (
    <div data-waiting={handed.isPending || undefined}>
      <label className="mb-2 flex items-center gap-2">
        <h2>Cards for</h2>
        <select className="entry !w-auto" aria-label="Cards for" value={who} onChange={(e) => setWho(e.target.value)}>
          {[...people, ...machines].map((name) => (
            <option key={name}>{name}</option>
          ))}
        </select>
        <span className="text-quiet">A first try often fails: keep address, share and login at hand.</span>
      </label>
      {cards?.length === 0 && <p>{who} reaches nothing yet.</p>}
      <div className="grid gap-4 lg:grid-cols-2">
        {things.map((thing) => (
          <section key={thing} aria-label={`Card ${thing}`} className="break-inside-avoid border border-ink p-3">
            <h3 className="mb-1">
              {thing} <span className="font-normal text-quiet">for {who}</span>
            </h3>
            {cards
              ?.filter((c) => c.thing === thing)
              .map((c) => (
                <div
                  key={c.system}
                  data-copies
                  className="grid grid-cols-[92px_1fr_auto] items-baseline gap-x-2 border-t border-hair py-1"
                >
                  <span className="text-quiet">{c.system}</span>
                  <span className="min-w-0">
                    <code className="figure wrap-anywhere">{c.text}</code>
                    <span className="unit block">{c.note}</span>
                    {c.scanned && codes[c.text] && (
                      <img
                        src={codes[c.text]}
                        alt={`QR code of ${c.text}`}
                        className="mt-1 bg-white p-1"
                        width="96"
                        height="96"
                      />
                    )}
                  </span>
                  <Copy text={c.text} name={`copy ${thing} for ${c.system}`} />
                </div>
              ))}
          </section>
        ))}
      </div>
    </div>
  );
}
