import { keepPreviousData, useMutation, useQuery } from '@tanstack/react-query';
import { client, Problem, unwrap, type Heard } from '../api/client';
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

// useSpeech is how speech is recognised here.
export const useSpeech = () =>
  useQuery({ queryKey: ['speech'], queryFn: () => unwrap(client.GET('/api/speech')), staleTime: 60_000 });

// useHear is what a recording says. A phrase that is trusted is done at once.
export const useHear = () =>
  useMutation({
    mutationFn: async (file: Blob): Promise<Heard> => {
      const answer = await fetch('/api/speech?act=true', {
        method: 'POST',
        body: file,
        headers: { 'Content-Type': 'audio/wav' },
      });
      const body = (await answer.json()) as Heard & { detail?: string };
      if (!answer.ok) throw new Problem(answer.status, body.detail ?? answer.statusText);
      return body;
    },
    onSettled: () => stale(keys.runs),
  });
