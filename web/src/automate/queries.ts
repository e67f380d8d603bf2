import { useMutation, useQuery } from '@tanstack/react-query';
import { client, unwrap, type Want } from '../api/client';
import { keys } from '../api/queries';
import { stale } from '../api/stale';

export const useRuns = () =>
  useQuery({ queryKey: keys.runs, queryFn: () => unwrap(client.GET('/api/runs')) });
export const useHolds = () =>
  useQuery({ queryKey: keys.holds, queryFn: () => unwrap(client.GET('/api/holds')) });
export const useSequences = () =>
  useQuery({ queryKey: keys.sequences, queryFn: () => unwrap(client.GET('/api/sequences')) });
export const useGroups = () =>
  useQuery({ queryKey: keys.groups, queryFn: () => unwrap(client.GET('/api/groups')) });

export const useRunSequence = () =>
  useMutation({
    mutationFn: (sequence: string) =>
      unwrap(client.POST('/api/sequences/{sequence}/run', { params: { path: { sequence } } })),
    onSettled: () => stale(keys.runs),
  });
export const useStopRun = () =>
  useMutation({
    mutationFn: (run: string) => unwrap(client.POST('/api/runs/{run}/stop', { params: { path: { run } } })),
    onSettled: () => stale(keys.runs),
  });
export const useEndHold = () =>
  useMutation({
    mutationFn: ({ id, stay }: { id: string; stay: boolean }) =>
      unwrap(client.POST('/api/holds/{hold}/end', { params: { path: { hold: id } }, body: { stay } })),
    onSettled: () => stale(keys.holds),
  });

// SequenceFields is what a sequence is made of.
export type SequenceFields = { name: string; steps: string };

export const useSaveSequence = (slug?: string) =>
  useMutation({
    mutationFn: (body: SequenceFields) =>
      slug === undefined
        ? unwrap(client.POST('/api/sequences', { body }))
        : unwrap(client.PATCH('/api/sequences/{sequence}', { params: { path: { sequence: slug } }, body })),
    onSuccess: () => stale(keys.sequences),
  });
export const useRemoveSequence = () =>
  useMutation({
    mutationFn: (sequence: string) =>
      unwrap(client.DELETE('/api/sequences/{sequence}', { params: { path: { sequence } } })),
    onSuccess: () => stale(keys.sequences),
  });

// OccasionFields is what an occasion is made of.
export type OccasionFields = {
  name: string;
  wants: string;
  stays: string[];
  leaves: boolean;
  room: string;
  reins: Record<string, string>;
};

const occasionsChanged = () => [keys.occasions, keys.runs, keys.boardStates].forEach(stale);

// useDoOccasion starts or ends an occasion, or puts right what differs from it.
export const useDoOccasion = () =>
  useMutation({
    mutationFn: ({ occasion, what }: { occasion: string; what: 'start' | 'end' | 'right' }) =>
      unwrap(client.POST(`/api/occasions/{occasion}/${what}`, { params: { path: { occasion } } })),
    onSettled: occasionsChanged,
  });
export const useSaveOccasion = (slug?: string) =>
  useMutation({
    mutationFn: (body: OccasionFields) =>
      slug === undefined
        ? unwrap(client.POST('/api/occasions', { body }))
        : unwrap(client.PATCH('/api/occasions/{occasion}', { params: { path: { occasion: slug } }, body })),
    onSuccess: occasionsChanged,
  });
export const useRemoveOccasion = () =>
  useMutation({
    mutationFn: (occasion: string) =>
      unwrap(client.DELETE('/api/occasions/{occasion}', { params: { path: { occasion } } })),
    onSuccess: occasionsChanged,
  });

// GroupFields is what a group is made of.
export type GroupFields = { name: string; members: string[] };

// useGroupState is what the devices of a group are believed to be at; it changes with any belief.
export const useGroupState = (group: string) =>
  useQuery({
    queryKey: [...keys.states, 'group', group],
    queryFn: () => unwrap(client.GET('/api/groups/{group}/state', { params: { path: { group } } })),
  });
export const useSetGroup = (group: string) =>
  useMutation({
    mutationFn: (wants: Want[]) =>
      unwrap(client.POST('/api/groups/{group}/set', { params: { path: { group } }, body: { wants } })),
    onSettled: () => stale(keys.states),
  });
export const useSaveGroup = (slug?: string) =>
  useMutation({
    mutationFn: (body: GroupFields) =>
      slug === undefined
        ? unwrap(client.POST('/api/groups', { body }))
        : unwrap(client.PATCH('/api/groups/{group}', { params: { path: { group: slug } }, body })),
    onSuccess: () => stale(keys.groups),
  });
export const useRemoveGroup = () =>
  useMutation({
    mutationFn: (group: string) =>
      unwrap(client.DELETE('/api/groups/{group}', { params: { path: { group } } })),
    onSuccess: () => stale(keys.groups),
  });
