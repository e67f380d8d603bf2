import { QueryClient, useMutation, useQuery } from '@tanstack/react-query';
import { client, unwrap, type HandsetPress, type NoticeEvent, type Stage } from './client';

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
  news: ['news'], // entries of the journal that are not shown yet
  people: ['people'],
  rooms: ['rooms'],
  errands: ['errands'],
  day: ['day'],
  measurements: ['measurements'],
  house: ['house'],
  groups: ['groups'],
  sequences: ['sequences'],
  occasions: ['occasions'],
  boards: ['boards'],
  boardStates: ['board-states'],
  runs: ['runs'],
  holds: ['holds'],
  notice: ['notice'], // the last one that came while this page is open, until it is put away
  stations: ['stations'],
  stage: ['stage'],
  states: ['states'],
  lessons: ['lessons'],
  auditions: ['auditions'],
  sets: ['sets'],
  advice: ['advice'],
  removed: ['removed'],
  updated: ['updated'], // the service is of another version than this page
  sessions: ['sessions'],
  tokens: ['tokens'],
  mqtt: ['mqtt'],
  hooks: ['hooks'],
  assistants: ['assistants'],
  requests: ['requests'],
  calendars: ['calendars'],
  faces: ['faces'],
} as const;

// useNotice is the last text for people that came while this page is open.
export const useNotice = () =>
  useQuery<NoticeEvent | null>({ queryKey: keys.notice, queryFn: () => null, enabled: false });

// useUpdated says that the service is of another version than this page.
export const useUpdated = () =>
  useQuery<boolean>({ queryKey: keys.updated, queryFn: () => false, enabled: false });

export const useMe = (enabled = true) =>
  useQuery({ queryKey: keys.me, queryFn: () => unwrap(client.GET('/api/me')), retry: false, enabled });
export const useAbout = () =>
  useQuery({ queryKey: keys.about, queryFn: () => unwrap(client.GET('/api/about')) });
export const useKinds = () =>
  useQuery({ queryKey: keys.kinds, queryFn: () => unwrap(client.GET('/api/kinds')) });
export const useRooms = () =>
  useQuery({ queryKey: keys.rooms, queryFn: () => unwrap(client.GET('/api/rooms')) });

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
export const useStations = () =>
  useQuery({ queryKey: keys.stations, queryFn: () => unwrap(client.GET('/api/stations')) });
// useStage is the simulated surroundings, where this house has them.
export function useStage() {
  const about = useAbout();
  return useQuery({
    queryKey: keys.stage,
    queryFn: () => unwrap(client.GET('/api/stage')),
    enabled: about.data?.parts.includes('stage') ?? false,
  });
}

export const useSetFaults = () =>
  useMutation({
    mutationFn: (body: Stage['faults']) => unwrap(client.PUT('/api/stage/faults', { body })),
    onSuccess: () => queryClient.invalidateQueries({ queryKey: keys.stage }),
  });

export const useFailMains = () => useMutation({ mutationFn: () => unwrap(client.POST('/api/stage/outage')) });

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

export const useSets = () =>
  useQuery({ queryKey: keys.sets, queryFn: () => unwrap(client.GET('/api/sets')) });
