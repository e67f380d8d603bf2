import { useEffect } from 'react';

// useTitle gives the tab the name of its page.
export function useTitle(page: string) {
  useEffect(() => {
    document.title = page ? `${page} · Urbo` : 'Urbo';
    return () => {
      document.title = 'Urbo';
    };
  }, [page]);
}
