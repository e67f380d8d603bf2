import { useMutation, useQuery } from '@tanstack/react-query';
import {
  client,
  unwrap,
  type Device,
  type DeviceChange,
  type KeyChange,
  type KeyRef,
  type LessonStep,
  type NewDevice,
  type NewLesson,
} from '../api/client';
import { keys, useSets, useStations } from '../api/queries';

export const useAddDevice = () =>
  useMutation({ mutationFn: (body: NewDevice) => unwrap(client.POST('/api/devices', { body })) });

export const useAdvice = (device: Device) =>
  useQuery({
    queryKey: [...keys.advice, device], // anew when anything of the device changes, and when a station comes or goes
    queryFn: () =>
      unwrap(client.GET('/api/devices/{device}/advice', { params: { path: { device: device.slug } } })),
  });

// useMatches finds the code sets that a device's keys are of: anew when either changes.
export const useMatches = (device: Device) => {
  const sets = useSets();
  return useQuery({
    queryKey: ['matches', device, sets.dataUpdatedAt],
    queryFn: () =>
      unwrap(client.GET('/api/devices/{device}/matches', { params: { path: { device: device.slug } } })),
  });
};

export const useAdopt = (device: string) =>
  useMutation({
    mutationFn: (set: string) =>
      unwrap(client.POST('/api/devices/{device}/adopt', { params: { path: { device } }, body: { set } })),
  });

export const useUndo = (device: string) =>
  useMutation({
    mutationFn: (key: string) =>
      unwrap(
        client.POST('/api/devices/{device}/keys/{key}/restore', {
          params: { path: { device, key } },
          body: {},
        }),
      ),
  });

export const useUnfollow = (device: string) =>
  useMutation({
    mutationFn: (key: string) =>
      unwrap(client.DELETE('/api/devices/{device}/keys/{key}/heard', { params: { path: { device, key } } })),
  });

export const useChangeDevice = (device: string) =>
  useMutation({
    mutationFn: (body: DeviceChange) =>
      unwrap(client.PATCH('/api/devices/{device}', { params: { path: { device } }, body })),
  });

export const useChangeKey = (device: string, key: string) =>
  useMutation({
    mutationFn: (body: KeyChange) =>
      unwrap(client.PATCH('/api/devices/{device}/keys/{key}', { params: { path: { device, key } }, body })),
  });

export const useWriteKey = (device: string) =>
  useMutation({
    mutationFn: ({ key, text, hz }: { key: string; text: string; hz: number }) =>
      unwrap(
        client.POST('/api/devices/{device}/keys/{key}/code', {
          params: { path: { device, key } },
          body: { text, hz },
        }),
      ),
  });

export const useRemoveKey = (device: string) =>
  useMutation({
    mutationFn: (key: string) =>
      unwrap(client.DELETE('/api/devices/{device}/keys/{key}', { params: { path: { device, key } } })),
  });

export const useRemoveDevice = () =>
  useMutation({
    mutationFn: (device: string) =>
      unwrap(client.DELETE('/api/devices/{device}', { params: { path: { device } } })),
  });

export const useRemoved = () =>
  useQuery({ queryKey: keys.removed, queryFn: () => unwrap(client.GET('/api/removed-devices')) });

export const useRestoreDevice = () =>
  useMutation({
    mutationFn: (device: string) =>
      unwrap(client.POST('/api/removed-devices/{device}/restore', { params: { path: { device } } })),
  });

export const useLessons = () =>
  useQuery({ queryKey: keys.lessons, queryFn: () => unwrap(client.GET('/api/lessons')) });

export const useStartLesson = () =>
  useMutation({
    mutationFn: (body: NewLesson) => unwrap(client.POST('/api/lessons', { body })),
  });

export const useLessonStep = (id: string) =>
  useMutation({
    mutationFn: (body: LessonStep) =>
      unwrap(client.POST('/api/lessons/{lesson}/steps', { params: { path: { lesson: id } }, body })),
  });

export const usePress = () =>
  useMutation({
    mutationFn: ({ device, key }: KeyRef) =>
      unwrap(
        client.POST('/api/devices/{device}/keys/{key}/press', {
          params: { path: { device, key } },
          body: { times: 1 },
        }),
      ),
  });

// renew is how often in ms a held key is asked for again: well within its lease.
const renew = 500;

// useHoldKey holds a key for as long as down says so. It is one press; a page that is gone lets go by itself.
export const useHoldKey = () =>
  useMutation({
    mutationFn: async ({ device, key, down }: KeyRef & { down: () => boolean }) => {
      const held = await unwrap(
        client.POST('/api/devices/{device}/keys/{key}/hold', { params: { path: { device, key } }, body: {} }),
      );
      const path = { press: held.id };
      for (let waited = 0; down(); waited += 50) {
        await new Promise((done) => window.setTimeout(done, 50));
        if (waited < renew) continue;
        waited = 0;
        const { response } = await client.POST('/api/held/{press}', { params: { path }, body: {} });
        if (!response.ok) break; // it is over: held for as long as it can be, or sent once all the same
      }
      return unwrap(client.DELETE('/api/held/{press}', { params: { path } }));
    },
  });

// useTransmitters are the places that send, STATION/PORT, and one that is named already.
export function useTransmitters(named = ''): string[] {
  const all = (useStations().data ?? []).flatMap((s) =>
    s.ports.filter((p) => p.direction === 'transmitter').map((p) => `${s.name}/${p.id}`),
  );
  return [...new Set([...all, named].filter(Boolean))];
}
