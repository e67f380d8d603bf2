import { useMutation } from '@tanstack/react-query';
import { client, unwrap, type NewStation, type Station, type TransmitterChange } from '../api/client';
import { keys } from '../api/queries';
import { stale } from '../api/stale';
import { words } from '../app/words';
import { clock } from '../shared/text';

const refresh = { onSuccess: () => stale(keys.stations) };

export const useAddStation = () =>
  useMutation({
    mutationFn: (body: NewStation) => unwrap(client.POST('/api/stations', { body })),
    ...refresh,
  });

export const useChangeStation = (station: string) =>
  useMutation({
    mutationFn: (body: { name?: string; room?: string }) =>
      unwrap(client.PATCH('/api/stations/{station}', { params: { path: { station } }, body })),
    ...refresh,
  });

export const useRemoveStation = (station: string) =>
  useMutation({
    mutationFn: () => unwrap(client.DELETE('/api/stations/{station}', { params: { path: { station } } })),
    ...refresh,
  });

// useChangeTransmitter changes what is set for a transmitter, STATION/PORT.
export const useChangeTransmitter = (place: string) => {
  const [station = '', port = ''] = place.split('/');
  return useMutation({
    mutationFn: (body: TransmitterChange) =>
      unwrap(
        client.PATCH('/api/stations/{station}/transmitters/{port}', {
          params: { path: { station, port } },
          body,
        }),
      ),
    ...refresh,
  });
};

export const useTestStations = () =>
  useMutation({ mutationFn: () => unwrap(client.POST('/api/stations/test', {})) });

// presence says whether a station is here, and since when; of one that is away, also why, where that is known.
export function presence(s: Pick<Station, 'here' | 'since' | 'trouble'>): string {
  if (s.here) return `${words.stations.here} ${words.stations.since(clock(s.since ?? ''))}`;
  const away = s.since
    ? `${words.stations.away} ${words.stations.since(clock(s.since))}`
    : words.stations.notSeen;
  return s.trouble ? `${away}: ${s.trouble}` : away;
}

// duration tells milliseconds as a person says them: 0 s, 12.5 s, 3 min 20 s.
export function duration(ms: number): string {
  const s = Math.round(ms / 100) / 10;
  if (s < 60) return `${s} s`;
  const whole = Math.round(s);
  const rest = whole % 60;
  return `${Math.floor(whole / 60)} min${rest ? ` ${rest} s` : ''}`;
}
