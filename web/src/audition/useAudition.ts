import { useMutation, useQuery } from '@tanstack/react-query';
import { client, unwrap, type AuditionStep, type NewAudition } from '../api/client';
import { keys } from '../api/queries';

export const useAuditions = () =>
  useQuery({ queryKey: keys.auditions, queryFn: () => unwrap(client.GET('/api/auditions')) });

// useAuditionPlan says what would be played, and how long it takes; nothing is played.
export const useAuditionPlan = (body: NewAudition) =>
  useQuery({
    queryKey: ['audition-plan', body],
    queryFn: () => unwrap(client.POST('/api/auditions/plan', { body })),
    retry: false,
    gcTime: 0,
  });

export const useStartAudition = () =>
  useMutation({ mutationFn: (body: NewAudition) => unwrap(client.POST('/api/auditions', { body })) });

export const useAuditionStep = (id: string) =>
  useMutation({
    mutationFn: (step: AuditionStep['do']) =>
      unwrap(
        client.POST('/api/auditions/{audition}/steps', {
          params: { path: { audition: id } },
          body: { do: step },
        }),
      ),
  });
