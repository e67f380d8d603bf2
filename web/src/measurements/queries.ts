import { useMutation, useQuery } from '@tanstack/react-query';
import { client, unwrap, type MeasurementSpec } from '../api/client';
import { keys } from '../api/queries';
import { stale } from '../api/stale';

export const useMeasurements = () =>
  useQuery({ queryKey: keys.measurements, queryFn: () => unwrap(client.GET('/api/measurements')) });

// useChart is the history of a measurement in the last so many hours.
export const useChart = (name: string, hours: number, points: number, each: number | false = false) =>
  useQuery({
    refetchInterval: each,
    queryKey: [...keys.measurements, name, 'chart', hours, points],
    queryFn: async () => {
      const now = await unwrap(client.GET('/api/day', { params: { query: {} } }));
      const since = new Date(new Date(now.now).getTime() - hours * 3_600_000).toISOString();
      return unwrap(client.GET('/api/measurement-chart', { params: { query: { name, since, points } } }));
    },
    gcTime: 60_000,
  });

const parts = (name: string) => {
  const [place = '', rest] = name.split('/');
  return { place, rest };
};

const changed = () => stale(keys.measurements);

export const useDescribe = () =>
  useMutation({
    mutationFn: ({ name, spec }: { name: string; spec: MeasurementSpec }) => {
      const { place, rest } = parts(name);
      return rest === undefined
        ? unwrap(client.PUT('/api/measurements/{name}', { params: { path: { name: place } }, body: spec }))
        : unwrap(
            client.PUT('/api/measurements/{place}/{name}', {
              params: { path: { place, name: rest } },
              body: spec,
            }),
          );
    },
    onSuccess: changed,
  });

export const useRemoveMeasurement = () =>
  useMutation({
    mutationFn: (name: string) => {
      const { place, rest } = parts(name);
      return rest === undefined
        ? unwrap(client.DELETE('/api/measurements/{name}', { params: { path: { name: place } } }))
        : unwrap(
            client.DELETE('/api/measurements/{place}/{name}', { params: { path: { place, name: rest } } }),
          );
    },
    onSuccess: changed,
  });
