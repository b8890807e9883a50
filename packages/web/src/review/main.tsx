import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { ReviewPage } from './review-page.tsx';
import './review.css';

const secret = window.location.pathname.split('/').at(-1) ?? '';
const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });

createRoot(document.getElementById('page')!).render(
  <StrictMode>
    <QueryClientProvider client={client}>
      <ReviewPage secret={secret} />
    </QueryClientProvider>
  </StrictMode>,
);
