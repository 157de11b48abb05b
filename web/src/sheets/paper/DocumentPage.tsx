/** A paper for people as a page to print: facts to know, boxes to tick, cautions set apart. */

import { useQuery } from '@tanstack/react-query';
import { Link, useParams, useSearchParams } from 'react-router';
import { api, unwrap, type Schemas } from '../../api/client';
import { Words } from '../../parts/Words';
import { unmarked } from '../../text/typed';

type Section = Schemas['Section'];

export function DocumentPage({ paper }: { paper: 'runbook' | 'restore-sheet' | 'drill' }) {
  const { plan = '', drill = '' } = useParams();
  const [search] = useSearchParams();
  const seed = Number(search.get('seed') ?? 0) || 0;
  const asked = useQuery({
    queryKey: ['document', paper, plan, drill, seed],
    queryFn: async () =>
      paper === 'drill'
        ? unwrap(
            await api.GET('/api/plans/{plan_id}/drills/{drill}/sheet', {
              params: { path: { plan_id: plan, drill }, query: { seed } },
            }),
          )
        : unwrap(await api.GET(`/api/plans/{plan_id}/${paper}`, { params: { path: { plan_id: plan } } })),
    staleTime: 0,
  });
  if (asked.isError) return <p className="p-6 text-danger">{asked.error.message}</p>;
  if (!asked.data) return null;
  const { title, origin, sections } = asked.data;
  return (
    <main className="mx-auto max-w-[800px] bg-paper p-6">
      <div className="no-print mb-4 flex gap-3">
        <button className="act" onClick={() => window.print()}>
          print
        </button>
        <Link className="act" to={`/plan/${plan}/bench`}>
          back to the plan
        </Link>
      </div>
      <h1 className="text-[20px] wrap-anywhere">{title}</h1>
      <p className="text-quiet">From {origin}. Date and hand: ____________________</p>
      <nav className="no-print mt-3" aria-label="Contents">
        <ul className="gap-x-6 sm:columns-2">
          {sections.map(
            (s, n) =>
              !s.below && (
                <li key={n}>
                  <a className="block py-1 underline" href={`#part-${n}`}>
                    {s.title}
                  </a>
                </li>
              ),
          )}
        </ul>
      </nav>
      {sections.map((section, n) => (
        <Part key={n} id={`part-${n}`} section={section} />
      ))}
    </main>
  );
}

function Part({ id, section }: { id: string; section: Section }) {
  return (
    <section id={id} className={section.below ? 'mt-3 break-inside-avoid' : 'mt-5'}>
      {section.below ? (
        <h3 className="wrap-anywhere">{section.title}</h3>
      ) : (
        <h2 className="border-b border-ink wrap-anywhere">{section.title}</h2>
      )}
      {section.intro && (
        <p className="mt-1 text-quiet">
          <Words>{section.intro}</Words>
        </p>
      )}
      {section.facts.length > 0 && (
        <ul className="mt-1">
          {section.facts.map((fact) => (
            <li key={fact.text} className="break-inside-avoid border-b border-hair py-1 wrap-anywhere">
              <Words>{fact.text}</Words>
              {fact.how.length > 0 && (
                <ol className="mt-0.5 list-decimal pl-8 text-quiet">
                  {fact.how.map((how) => (
                    <li key={how}>
                      <Words>{how}</Words>
                    </li>
                  ))}
                </ol>
              )}
            </li>
          ))}
        </ul>
      )}
      {section.steps.length > 0 && (
        <ul className="mt-1">
          {section.steps.map((step) => (
            <li key={step.text} className="flex break-inside-avoid gap-2 border-b border-hair py-1">
              <input type="checkbox" className="mt-0.5 size-4 shrink-0" aria-label={`done: ${unmarked(step.text)}`} />
              <div className="min-w-0 flex-1 wrap-anywhere">
                <Words>{step.text}</Words>
                {step.minds.map((mind) => (
                  <div key={mind} className="border-l-2 border-danger pl-2">
                    Mind: <Words>{mind}</Words>
                  </div>
                ))}
              </div>
              {typeof step.hours === 'number' && step.hours >= 0.1 && (
                <span className="figure shrink-0">{step.hours.toFixed(1)} h</span>
              )}
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}
