import createCache from '@emotion/cache';
import { CacheProvider } from '@emotion/react';
import CssBaseline from '@mui/material/CssBaseline';
import { ThemeProvider } from '@mui/material/styles';
import { QueryCache, QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { Refused } from './api/client';
import { App } from './App';
import { theme } from './theme';

// The content policy lets in only styles that carry this page's nonce.
const nonce = document.querySelector<HTMLMetaElement>('meta[name=csp-nonce]')?.content;
const cache = createCache({ key: 'up', nonce, prepend: true });

const client: QueryClient = new QueryClient({
  queryCache: new QueryCache({
    // A session that has ended brings the sign-in back.
    onError: (error) => {
      if (error instanceof Refused && error.status === 401) {
        void client.invalidateQueries({ queryKey: ['session'] });
      }
    },
  }),
  defaultOptions: {
    queries: {
      refetchOnWindowFocus: false,
      retry: (count, error) => count < 2 && !(error instanceof Refused && error.status >= 400),
    },
  },
});

const root = document.getElementById('root');
if (root) {
  createRoot(root).render(
    <StrictMode>
      <CacheProvider value={cache}>
        <ThemeProvider theme={theme} defaultMode="system">
          <CssBaseline />
          <QueryClientProvider client={client}>
            <App />
          </QueryClientProvider>
        </ThemeProvider>
      </CacheProvider>
    </StrictMode>,
  );
}
