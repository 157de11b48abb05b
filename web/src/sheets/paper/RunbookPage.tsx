/** The runbook as a page to print: boxes to tick, cautions set apart. */

import { useQuery } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';
import { api, unwrap } from '../../api/client';

export function RunbookPage() {
  const { plan = '' } = useParams();
  const book = useQuery({
    queryKey: ['runbook', plan],
    queryFn: async () => unwrap(await api.GET('/api/plans/{plan_id}/runbook', { params: { path: { plan_id: plan } } })),
    staleTime: 0,
  });
  if (book.isError) return <p className="p-6 text-danger">{book.error.message}</p>;
  if (!book.data) return null;
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
      <h1 className="text-[20px] wrap-anywhere">{book.data.title}</h1>
      <p className="text-quiet">From {book.data.origin}. Date and hand: ____________________</p>
      {book.data.sections.map((section) => (
        <section key={section.title} className="mt-5">
          <h2 className="border-b border-ink">{section.title}</h2>
          {section.intro && <p className="mt-1 text-quiet">{section.intro}</p>}
          <ul className="mt-1">
            {section.steps.map((step) => (
              <li key={step.text} className="flex break-inside-avoid gap-2 border-b border-hair py-1">
                <input type="checkbox" className="mt-0.5 size-4 shrink-0" aria-label={`done: ${step.text}`} />
                <div className="min-w-0 flex-1 wrap-anywhere">
                  {step.text}
                  {step.minds.map((mind) => (
                    <div key={mind} className="border-l-2 border-danger pl-2">
                      Mind: {mind}
                    </div>
                  ))}
                </div>
                {typeof step.hours === 'number' && step.hours >= 0.1 && (
                  <span className="figure shrink-0">{step.hours.toFixed(1)} h</span>
                )}
              </li>
            ))}
          </ul>
        </section>
      ))}
    </main>
  );
}
