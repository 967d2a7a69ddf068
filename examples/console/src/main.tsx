import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import '@fontsource-variable/atkinson-hyperlegible-next/wght.css';
import '@fontsource-variable/literata/wght.css';
import './style.css';
import { App } from './app.js';

const queries = new QueryClient({
  defaultOptions: {
    // What is shown is as new as the version in its key; nothing has to be asked for again before that changes.
    queries: { staleTime: Infinity, gcTime: 60_000, refetchOnWindowFocus: false, retry: 1 },
  },
});
const place = document.getElementById('console');
if (place !== null) {
  createRoot(place).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <App />
      </QueryClientProvider>
    </StrictMode>,
  );
}
