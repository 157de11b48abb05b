import { MutationCache, QueryCache, QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { BrowserRouter } from 'react-router';
import { Refused } from './api/client';
import { keepPage } from './api/device';
import { readQueue } from './api/queue';
import { ROOT } from './api/root';
import { VISITOR } from './api/visitor';
import { App } from './App';
import { startDrawing } from './parts/drawing-mode';
import './theme.css';

startDrawing();
keepPage();
void readQueue();
// Every change answers with the whole new state, so nothing is fetched again by itself.
const client: QueryClient = new QueryClient({
  queryCache: new QueryCache({ onError: (error) => turnedAway(error) }),
  mutationCache: new MutationCache({ onError: (error) => turnedAway(error) }),
  defaultOptions: { queries: { staleTime: Infinity, retry: false, refetchOnWindowFocus: false } },
});

/** A session that ended elsewhere: whoever is here signs in again. */
function turnedAway(error: Error) {
  if (error instanceof Refused && error.problem.status === 401)
    void client.invalidateQueries({ queryKey: VISITOR, exact: true });
}

const root = document.getElementById('root');
if (root)
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={client}>
        <BrowserRouter basename={ROOT.replace(/\/$/, '')}>
          <App />
        </BrowserRouter>
      </QueryClientProvider>
    </StrictMode>,
  );
