import { useMutation, useQueries, useQuery } from '@tanstack/react-query';
import { client, unwrap, type Comparison, type KeyRef } from '../api/client';
import { keys, queryClient } from '../api/queries';

export const useCapture = (id: string) =>
  useQuery({
    queryKey: [...keys.captures, id],
    queryFn: () => unwrap(client.GET('/api/captures/{capture}', { params: { path: { capture: id } } })),
  });

// useComparisons lays others over a first one. What it gives stays the same while nothing of it changes, so that a drawing
// keeps its zoom while signals are heard.
export const useComparisons = (first: string, others: string[]) =>
  useQueries({
    queries: others.map((other) => ({
      queryKey: ['comparison', first, other],
      queryFn: () =>
        unwrap(
          client.GET('/api/captures/{capture}/compare/{other}', {
            params: { path: { capture: first, other } },
          }),
        ),
    })),
    combine,
  });

const combine = (all: { data?: Comparison; error: Error | null }[]) => ({
  found: all.map((q) => q.data),
  error: all.find((q) => q.error)?.error ?? null,
  // those that are there, with their numbers in the drawing
  drawn: all.flatMap((q, i) => (q.data ? [{ number: i + 2, of: q.data }] : [])),
});

export const useSendCapture = () =>
  useMutation({
    mutationFn: (id: string) =>
      unwrap(client.POST('/api/captures/{capture}/send', { params: { path: { capture: id } } })),
  });

export const useKeep = (id: string) =>
  useMutation({
    mutationFn: (body: KeyRef) =>
      unwrap(client.POST('/api/captures/{capture}/keep', { params: { path: { capture: id } }, body })),
    onSuccess: () => queryClient.invalidateQueries({ queryKey: [...keys.captures, id] }),
  });
