import { useMutation, useQuery } from '@tanstack/react-query';
import { client, unwrap, type Control, type SetAnswer, type Want } from '../api/client';
import { keys, queryClient } from '../api/queries';
import { stale } from '../api/stale';

// useStates is what is believed of the controls of a device. Trust fades by itself, so it is looked at now and then.
export const useStates = (device: string) =>
  useQuery({
    queryKey: [...keys.states, device],
    queryFn: () => unwrap(client.GET('/api/devices/{device}/state', { params: { path: { device } } })),
    refetchInterval: 30_000,
  });

export const useSetControls = (device: string) =>
  useMutation({
    mutationFn: (wants: Want[]) =>
      unwrap(
        client.POST('/api/devices/{device}/set', { params: { path: { device } }, body: { wants } }),
      ) as Promise<SetAnswer>,
    onSettled: () => stale(keys.states),
  });

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

export const useKeepControls = (device: string) =>
  useMutation({
    mutationFn: (controls: Control[]) =>
      unwrap(client.PATCH('/api/devices/{device}', { params: { path: { device } }, body: { controls } })),
    onSuccess: () => {
      stale(keys.devices);
      stale(keys.states);
    },
  });
