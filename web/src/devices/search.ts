import type { DeviceLine } from '../api/client';

// search finds the devices that have all words in their name, room, kind, maker or model.
export function search(devices: DeviceLine[], wanted: string): DeviceLine[] {
  const words = wanted.toLowerCase().split(/\s+/).filter(Boolean);
  if (words.length === 0) return devices;
  return devices.filter((d) => {
    const text = `${d.name}\n${d.room}\n${d.kind}\n${d.maker}\n${d.model}\n${d.slug}`.toLowerCase();
    return words.every((w) => text.includes(w));
  });
}
