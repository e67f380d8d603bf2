import { keepPreviousData, useMutation, useQuery } from '@tanstack/react-query';
import { client, unwrap } from '../api/client';
import { keys } from '../api/queries';
import { stale } from '../api/stale';

// useUnderstood is what a phrase means now, and what it costs; nothing is done. It is never kept: what a phrase costs
// changes with the house.
export const useUnderstood = (text: string) =>
  useQuery({
    queryKey: ['understood', text],
    queryFn: () => unwrap(client.POST('/api/phrase', { body: { text } })),
    enabled: text !== '',
    retry: false,
    gcTime: 0,
    staleTime: 0,
    placeholderData: keepPreviousData,
  });

// useSay does what a phrase means, where it still means what was shown.
export const useSay = () =>
  useMutation({
    mutationFn: ({ text, shown }: { text: string; shown: string }) =>
      unwrap(client.POST('/api/phrase', { body: { text, shown, act: true } })),
    onSettled: () => stale(keys.runs),
  });
