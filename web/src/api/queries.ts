import { QueryClient, useMutation, useQuery } from '@tanstack/react-query';
import {
  client,
  unwrap,
  type Device,
  type DeviceChange,
  type HandsetPress,
  type KeyChange,
  type KeyRef,
  type LessonStep,
  type NewDevice,
  type NewLesson,
} from './client';

// The event stream keeps what is read fresh, so nothing is asked for again by itself.
export const queryClient = new QueryClient({
  defaultOptions: {
    // The house has no internet: what the browser thinks of its network says nothing about the service.
    queries: { staleTime: Infinity, retry: 1, refetchOnWindowFocus: false, networkMode: 'always' },
    mutations: { networkMode: 'always' },
  },
});

export const keys = {
  me: ['me'],
  about: ['about'],
  kinds: ['kinds'],
  devices: ['devices'],
  captures: ['captures'],
  journal: ['journal'],
  stations: ['stations'],
  stage: ['stage'],
  lessons: ['lessons'],
  auditions: ['auditions'],
  sets: ['sets'],
} as const;

export const useMe = (enabled = true) =>
  useQuery({ queryKey: keys.me, queryFn: () => unwrap(client.GET('/api/me')), retry: false, enabled });
export const useAbout = () =>
  useQuery({ queryKey: keys.about, queryFn: () => unwrap(client.GET('/api/about')) });
export const useKinds = () =>
  useQuery({ queryKey: keys.kinds, queryFn: () => unwrap(client.GET('/api/kinds')) });
export const useDevices = () =>
  useQuery({ queryKey: keys.devices, queryFn: () => unwrap(client.GET('/api/devices')) });
// useDevice is one device with its keys and codes, found by its slug now or one that it had.
export const useDevice = (slug: string) =>
  useQuery({
    queryKey: [...keys.devices, slug],
    queryFn: () => unwrap(client.GET('/api/devices/{device}', { params: { path: { device: slug } } })),
    enabled: slug !== '',
  });
export const useCaptures = () =>
  useQuery({
    queryKey: keys.captures,
    queryFn: () => unwrap(client.GET('/api/captures', { params: { query: { limit: 50 } } })),
  });
export const useCapture = (id: string) =>
  useQuery({
    queryKey: [...keys.captures, id],
    queryFn: () => unwrap(client.GET('/api/captures/{capture}', { params: { path: { capture: id } } })),
  });
export const useComparison = (first: string, second: string) =>
  useQuery({
    queryKey: ['comparison', first, second],
    queryFn: () =>
      unwrap(
        client.GET('/api/captures/{capture}/compare/{other}', {
          params: { path: { capture: first, other: second } },
        }),
      ),
    enabled: second !== '',
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
export const useStations = () =>
  useQuery({ queryKey: keys.stations, queryFn: () => unwrap(client.GET('/api/stations')) });
export const useLessons = () =>
  useQuery({ queryKey: keys.lessons, queryFn: () => unwrap(client.GET('/api/lessons')) });

// useStage is the simulated surroundings, where this house has them.
export function useStage() {
  const about = useAbout();
  return useQuery({
    queryKey: keys.stage,
    queryFn: () => unwrap(client.GET('/api/stage')),
    enabled: about.data?.parts.includes('stage') ?? false,
  });
}

export const usePress = () =>
  useMutation({
    mutationFn: ({ device, key, hold = 0 }: { device: string; key: string; hold?: number }) =>
      unwrap(
        client.POST('/api/devices/{device}/keys/{key}/press', {
          params: { path: { device, key } },
          body: { times: 1, hold_ms: hold },
        }),
      ),
  });

export const usePressHandset = () =>
  useMutation({
    mutationFn: ({ handset, key, ...how }: { handset: string; key: string } & HandsetPress) =>
      unwrap(
        client.POST('/api/stage/handsets/{handset}/keys/{key}/press', {
          params: { path: { handset, key } },
          body: how,
        }),
      ),
  });

export const useAddDevice = () =>
  useMutation({ mutationFn: (body: NewDevice) => unwrap(client.POST('/api/devices', { body })) });

export const useAdvice = (device: Device) =>
  useQuery({
    queryKey: ['advice', device], // anew when anything of the device changes
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
export const useSets = () =>
  useQuery({ queryKey: keys.sets, queryFn: () => unwrap(client.GET('/api/sets')) });
export const useRemoveSet = () =>
  useMutation({
    mutationFn: (set: string) => unwrap(client.DELETE('/api/sets/{set}', { params: { path: { set } } })),
    onSuccess: () => queryClient.invalidateQueries({ queryKey: keys.sets }),
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

export const useStartLesson = () =>
  useMutation({
    mutationFn: (body: NewLesson) => unwrap(client.POST('/api/lessons', { body })),
  });

export const useLessonStep = (id: string) =>
  useMutation({
    mutationFn: (body: LessonStep) =>
      unwrap(client.POST('/api/lessons/{lesson}/steps', { params: { path: { lesson: id } }, body })),
  });
