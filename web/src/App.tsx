import { useQuery } from '@tanstack/react-query';
import { lazy, Suspense, useEffect } from 'react';
import { Navigate, Route, Routes } from 'react-router';
import { api, unwrap } from './api/client';
import { useVisitorQuery } from './api/visitor';
import { Frame } from './Frame';
import { PlansPage } from './sheets/plans/PlansPage';

const DocumentPage = lazy(() => import('./sheets/paper/DocumentPage').then((m) => ({ default: m.DocumentPage })));
const SignInPage = lazy(() => import('./door/SignInPage').then((m) => ({ default: m.SignInPage })));
const HousePage = lazy(() => import('./door/HousePage').then((m) => ({ default: m.HousePage })));
const RunSheetPage = lazy(() => import('./sheets/paper/RunSheetPage').then((m) => ({ default: m.RunSheetPage })));

export function App() {
  const visitor = useVisitorQuery();
  const role = visitor.data?.role;
  useEffect(() => {
    if (role) document.documentElement.dataset['role'] = role;
  }, [role]);
  if (visitor.isError) return <p className="p-6 text-danger">{visitor.error.message}</p>;
  if (!visitor.data) return null;
  if (visitor.data.anybody && !visitor.data.signed_in)
    return (
      <Suspense fallback={null}>
        <SignInPage />
      </Suspense>
    );
  // A password of one's own is wanted, or more than one: until then there is this page alone.
  if (visitor.data.owes || visitor.data.given)
    return (
      <Suspense fallback={null}>
        <HousePage />
      </Suspense>
    );
  return (
    <Suspense fallback={<p className="p-6">drawing ...</p>}>
      <Routes>
        <Route path="/" element={<LastPlan />} />
        <Route path="/plans" element={<PlansPage />} />
        <Route path="/house" element={<HousePage />} />
        <Route path="/plan/:plan/runbook" element={<DocumentPage paper="runbook" />} />
        <Route path="/plan/:plan/restore-sheet" element={<DocumentPage paper="restore-sheet" />} />
        <Route path="/plan/:plan/drill/:drill" element={<DocumentPage paper="drill" />} />
        <Route path="/plan/:plan/run-sheet" element={<RunSheetPage />} />
        <Route path="/plan/:plan/:sheet?" element={<Frame />} />
        <Route path="*" element={<Navigate to="/" replace />} />
      </Routes>
    </Suspense>
  );
}

/** Opens the plan that was changed last, or the list when there is none. */
function LastPlan() {
  const plans = useQuery({
    queryKey: ['plans'],
    queryFn: async () => unwrap(await api.GET('/api/plans')).plans,
    staleTime: 0,
  });
  if (plans.isError) return <p className="p-6 text-danger">{plans.error.message}</p>;
  if (!plans.data) return null;
  const last = plans.data[0];
  return <Navigate to={last ? `/plan/${last.id}/bench` : '/plans'} replace />;
}
