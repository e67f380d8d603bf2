import { useMutation } from '@tanstack/react-query';
import { client, unwrap } from '../api/client';
import { keys, queryClient } from '../api/queries';

export const useAdoptSet = (set: string) =>
  useMutation({
    mutationFn: (device: string) =>
      unwrap(client.POST('/api/devices/{device}/adopt', { params: { path: { device } }, body: { set } })),
  });

export const useKeepSet = () =>
  useMutation({
    mutationFn: (device: string) => unwrap(client.POST('/api/sets', { body: { device } })),
    onSuccess: () => queryClient.invalidateQueries({ queryKey: keys.sets }),
  });

export const useRemoveSet = () =>
  useMutation({
    mutationFn: (set: string) => unwrap(client.DELETE('/api/sets/{set}', { params: { path: { set } } })),
    onSuccess: () => queryClient.invalidateQueries({ queryKey: keys.sets }),
  });
