import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { SnackbarProvider } from 'notistack';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { RequestProblem } from './api/client.ts';
import { App } from './app.tsx';
import './theme/desk.css';

const client = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 10_000,
      // Our server says plainly what is wrong; only an unreachable one is asked again.
      retry: (count, error) => count < 3 && error instanceof RequestProblem && error.status === 0,
      refetchOnWindowFocus: false,
    },
  },
});

createRoot(document.getElementById('desk')!).render(
  <StrictMode>
    <QueryClientProvider client={client}>
      <SnackbarProvider maxSnack={3} anchorOrigin={{ vertical: 'bottom', horizontal: 'left' }}>
        <App />
      </SnackbarProvider>
    </QueryClientProvider>
  </StrictMode>,
);
