import { MutationCache, QueryCache, QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { SnackbarProvider } from 'notistack';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { noticeHands } from './api/attended.ts';
import { RequestProblem } from './api/client.ts';
import { keys } from './api/keys.ts';
import { App } from './app.tsx';
import './theme/desk.css';

/** Whoever was signed in is so no more: the page asks who sits here, and shows the way in. */
const onError = (error: unknown) => {
  if (error instanceof RequestProblem && error.status === 401)
    void client.invalidateQueries({ queryKey: keys.me });
};

const client = new QueryClient({
  queryCache: new QueryCache({ onError }),
  mutationCache: new MutationCache({ onError }),
  defaultOptions: {
    queries: {
      staleTime: 10_000,
      // Our server says plainly what is wrong; only an unreachable one is asked again.
      retry: (count, error) => count < 3 && error instanceof RequestProblem && error.status === 0,
      refetchOnWindowFocus: false,
    },
  },
});

noticeHands();

createRoot(document.getElementById('desk')!).render(
  <StrictMode>
    <QueryClientProvider client={client}>
      <SnackbarProvider maxSnack={3} anchorOrigin={{ vertical: 'bottom', horizontal: 'left' }}>
        <App />
      </SnackbarProvider>
    </QueryClientProvider>
  </StrictMode>,
);
