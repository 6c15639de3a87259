import { notifyManager, QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { BrowserRouter } from 'react-router';
import { Refusal } from './api/client';
import './app.css';
import { KeysProvider } from './parts/keys';
import { Site } from './Site';

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 2000,
      retry: (count, e) => count < 2 && !(e instanceof Refusal && e.status >= 400 && e.status < 500),
    },
  },
});

// What a person changes is on the screen before anything else happens: a box that they ticked never jumps back and forth.
notifyManager.setScheduler(queueMicrotask);

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <BrowserRouter>
        <KeysProvider>
          <Site />
        </KeysProvider>
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
);
