import { useQueries } from '@tanstack/react-query';
import { useGroups, useSequences } from '../automate/queries';
import { client, unwrap, type Face } from '../api/client';
import { keys, useDevices, useStations } from '../api/queries';
import { useOccasions } from '../boards/queries';
import { useMeasurements } from '../measurements/queries';
import { useErrands } from './queries';
import type { Target } from './tree';

// Names is what an errand can name.
export type Names = {
  ready: boolean; // all of them are read
  controls: { path: string; face: Face }[]; // of devices and groups
  keys: string[]; // DEVICE/KEY
  measurements: { name: string; unit: string }[];
  occasions: string[];
  sequences: string[];
  errands: string[];
  stations: string[];
};

// useNames are the names of what is there.
export function useNames(): Names {
  const devices = useDevices();
  const groups = useGroups();
  const details = useQueries({
    queries: (devices.data ?? []).map((d) => ({
      queryKey: [...keys.devices, d.slug],
      queryFn: () => unwrap(client.GET('/api/devices/{device}', { params: { path: { device: d.slug } } })),
    })),
  });
  const controls: Names['controls'] = [];
  const pressed: string[] = [];
  for (const { data: d } of details) {
    for (const f of d?.faces ?? []) controls.push({ path: `${d?.slug ?? ''}/${f.control}`, face: f });
    for (const k of d?.keys ?? []) pressed.push(`${d?.slug ?? ''}/${k.name}`);
  }
  for (const g of groups.data ?? []) {
    const first = details.find((d) => d.data && g.members.includes(d.data.slug))?.data;
    for (const f of first?.faces ?? []) controls.push({ path: `${g.slug}/${f.control}`, face: f });
  }
  const occasions = useOccasions();
  const sequences = useSequences();
  const errands = useErrands();
  const stations = useStations();
  const measurements = useMeasurements();
  return {
    ready:
      !devices.isPending &&
      !measurements.isPending &&
      !occasions.isPending &&
      details.every((d) => !d.isPending),
    controls,
    keys: pressed,
    measurements: (measurements.data ?? []).map((m) => ({ name: m.name, unit: m.unit ?? '' })),
    occasions: (occasions.data ?? []).map((o) => o.slug),
    sequences: (sequences.data ?? []).map((s) => s.slug),
    errands: (errands.data ?? []).map((e) => e.name),
    stations: (stations.data ?? []).map((s) => s.name),
  };
}

// named is something by its name. The service finds what that is when the sentence is read.
export const named = (kind: string, name: string): Target => ({
  kind,
  id: kind === 'measurement' ? name : '',
  was: name,
});

// split parts THING/NAME at its last slash: a room has one in its name.
export function split(path: string): [string, string] {
  const at = path.lastIndexOf('/');
  return at < 0 ? [path, ''] : [path.slice(0, at), path.slice(at + 1)];
}
