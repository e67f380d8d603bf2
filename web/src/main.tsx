import CssBaseline from '@mui/material/CssBaseline';
import { ThemeProvider } from '@mui/material/styles';
import { QueryClientProvider } from '@tanstack/react-query';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { BrowserRouter } from 'react-router';
import { queryClient } from './api/queries';
import { App } from './app/App';
import { theme } from './app/theme';

// The shell of the page is shown before its fonts are there: a style sheet beside it would hold it back.
void import('./app/fonts');

// A page that is installed opens where the service does not answer, too. Browsers allow that over HTTPS, or on the
// machine itself.
if (import.meta.env.PROD && 'serviceWorker' in navigator) {
  void navigator.serviceWorker.register('/shell.js').catch(() => undefined);
}

const root = document.getElementById('root');
if (!root) throw new Error('the page has no root');
createRoot(root).render(
  <StrictMode>
    <ThemeProvider theme={theme}>
      <CssBaseline />
      <QueryClientProvider client={queryClient}>
        <BrowserRouter>
          <App />
        </BrowserRouter>
      </QueryClientProvider>
    </ThemeProvider>
  </StrictMode>,
);
