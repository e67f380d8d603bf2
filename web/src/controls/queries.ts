import { useMutation, useMutationState, useQuery } from '@tanstack/react-query';
import {
  client,
  unwrap,
  type Answers,
  type Control,
  type FeedRequest,
  type Frames,
  type LinkRequest,
  type SetAnswer,
  type Want,
} from '../api/client';
import { keys, queryClient } from '../api/queries';
import { stale } from '../api/stale';

// changed is told after every change of what can be set on a device.
const changed = () => {
  stale(keys.devices);
  stale(keys.states);
};

// useStates is what is believed of the controls of a device. Trust fades by itself, so it is looked at now and then.
export const useStates = (device: string) =>
  useQuery({
    queryKey: [...keys.states, device],
    queryFn: () => unwrap(client.GET('/api/devices/{device}/state', { params: { path: { device } } })),
    refetchInterval: 30_000,
  });

// useAllStates is what is believed of all devices, without what was before.
export const useAllStates = () =>
  useQuery({
    queryKey: [...keys.states],
    queryFn: () => unwrap(client.GET('/api/state', { params: { query: { brief: true } } })),
  });

// undoable is how long the service takes a setting back, in ms.
const undoable = 600_000;
const setKey = (device: string) => ['set', device];

// useSetControls sets controls of a device, for so many seconds where that is given.
export const useSetControls = (device: string, forS = 0) =>
  useMutation({
    mutationKey: setKey(device),
    gcTime: undoable,
    mutationFn: (wants: Want[]) =>
      unwrap(
        client.POST('/api/devices/{device}/set', {
          params: { path: { device } },
          body: { wants, ask: true, ...(forS > 0 && { for_ms: forS * 1000 }) },
        }),
      ) as Promise<SetAnswer>,
    onSettled: () => stale(keys.states),
  });

// useUndoSet takes back what was set last on this page, and says whether there is something to take back.
export function useUndoSet(device: string) {
  const was = useMutationState({ filters: { mutationKey: setKey(device), status: 'success' } });
  const undo = useMutation({
    mutationFn: () =>
      unwrap(
        client.POST('/api/devices/{device}/undo-set', { params: { path: { device } } }),
      ) as Promise<SetAnswer>,
    onSettled: () => stale(keys.states),
  });
  return { undo, there: was.length > 0 };
}

export const useTell = (device: string) =>
  useMutation({
    mutationFn: (body: { control: string; value: string }) =>
      unwrap(client.POST('/api/devices/{device}/tell', { params: { path: { device } }, body })),
    onSuccess: (states) => queryClient.setQueryData([...keys.states, device], states),
  });

export const useProposal = (device: string, keysOf: string) =>
  useQuery({
    queryKey: ['proposal', device, keysOf],
    queryFn: () =>
      unwrap(client.GET('/api/devices/{device}/controls/proposal', { params: { path: { device } } })),
  });

export const usePairingWays = () =>
  useQuery({ queryKey: ['pairing'], queryFn: () => unwrap(client.GET('/api/pairing')) });

// usePair gives a device a handset of Urbo's own.
export const usePair = (device: string) =>
  useMutation({
    mutationFn: (way: string) =>
      unwrap(client.POST('/api/devices/{device}/pair', { params: { path: { device } }, body: { way } })),
  });

export const useAskToPair = (device: string) =>
  useMutation({
    mutationFn: () => unwrap(client.POST('/api/devices/{device}/pair/ask', { params: { path: { device } } })),
  });

export const useConfirmPairing = (device: string) =>
  useMutation({
    mutationFn: () =>
      unwrap(client.POST('/api/devices/{device}/pair/took', { params: { path: { device } } })),
    onSuccess: changed,
  });

export const useCancelPairing = (device: string) =>
  useMutation({
    mutationFn: () => unwrap(client.DELETE('/api/devices/{device}/pair', { params: { path: { device } } })),
  });

export const useQuestions = (device: string, control: string) =>
  useQuery({
    queryKey: [...keys.devices, device, 'questions', control],
    queryFn: () =>
      unwrap(
        client.GET('/api/devices/{device}/controls/questions', {
          params: { path: { device }, query: { control } },
        }),
      ),
  });

// useAnswer gives a device controls, with what was answered about them.
export const useAnswer = (device: string) =>
  useMutation({
    mutationFn: (body: Answers) =>
      unwrap(client.POST('/api/devices/{device}/controls/answers', { params: { path: { device } }, body })),
    onSuccess: changed,
  });

export const usePutLink = (device: string) =>
  useMutation({
    mutationFn: (body: LinkRequest) =>
      unwrap(client.PUT('/api/devices/{device}/links', { params: { path: { device } }, body })),
    onSuccess: changed,
  });

export const useRemoveLink = (device: string) =>
  useMutation({
    mutationFn: (l: LinkRequest) =>
      unwrap(
        client.DELETE('/api/devices/{device}/links', {
          params: {
            path: { device },
            query: { of: l.device, control: l.control, value: l.value, sets: l.sets },
          },
        }),
      ),
    onSuccess: changed,
  });

// usePutFeed says which device's power feeds a device; none where it is empty.
export const usePutFeed = (device: string) =>
  useMutation({
    mutationFn: (body: FeedRequest) =>
      body.device
        ? unwrap(client.PUT('/api/devices/{device}/feed', { params: { path: { device } }, body }))
        : unwrap(client.DELETE('/api/devices/{device}/feed', { params: { path: { device } } })),
    onSuccess: changed,
  });

export const usePutControl = (device: string) =>
  useMutation({
    mutationFn: ({ name, form }: { name: string; form: Control }) =>
      unwrap(
        client.PUT('/api/devices/{device}/controls/{control}', {
          params: { path: { device, control: name } },
          body: form,
        }),
      ),
    onSuccess: changed,
  });

export const useRemoveControl = (device: string) =>
  useMutation({
    mutationFn: (name: string) =>
      unwrap(
        client.DELETE('/api/devices/{device}/controls/{control}', {
          params: { path: { device, control: name } },
        }),
      ),
    onSuccess: changed,
  });

export const useSheets = () =>
  useQuery({ queryKey: ['sheets'], queryFn: () => unwrap(client.GET('/api/sheets')) });

export const usePutFrames = (device: string) =>
  useMutation({
    mutationFn: (body: Frames) =>
      unwrap(client.PUT('/api/devices/{device}/frames', { params: { path: { device } }, body })),
    onSuccess: changed,
  });

export const useRemoveFrames = (device: string) =>
  useMutation({
    mutationFn: () => unwrap(client.DELETE('/api/devices/{device}/frames', { params: { path: { device } } })),
    onSuccess: changed,
  });
