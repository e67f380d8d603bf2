import type { DeviceLine } from '../api/client';

// search finds the devices that have all words in their name, room, kind, maker or model: those first that have them as
// whole words, "lamp 2" before "lamp 12", and those in their names before others.
export function search(devices: DeviceLine[], wanted: string): DeviceLine[] {
  const words = wanted.toLowerCase().split(/\s+/).filter(Boolean);
  if (words.length === 0) return devices;
  return devices
    .map((device) => ({ device, misses: misses(device, words) }))
    .filter((d) => d.misses < Infinity)
    .sort((a, b) => a.misses - b.misses) // it keeps the order of equals
    .map((d) => d.device);
}

// misses is how far a device is from what is looked for: 0 where its name has all words as they are, Infinity where one
// stands nowhere.
function misses(d: DeviceLine, words: string[]): number {
  const name = `${d.name} ${d.slug}`.toLowerCase();
  const rest = `${d.room}\n${d.kind}\n${d.maker}\n${d.model}`.toLowerCase();
  const [inName, inRest] = [name, rest].map((t) => t.split(/[^\p{L}\p{N}]+/u));
  return words.reduce((sum, w) => {
    if (inName?.includes(w)) return sum;
    if (name.includes(w)) return sum + (/\d$/.test(w) ? 3 : 1);
    if (inRest?.includes(w)) return sum + 2;
    return rest.includes(w) ? sum + 3 : Infinity;
  }, 0);
}
