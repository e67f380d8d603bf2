import type { Capture, Device, DeviceLine, Entry, Station } from './client';

// What an event does to a list that was read before. A list that was never read stays so.

const longest = 200;

function put<T>(list: T[] | undefined, item: T, same: (a: T) => boolean): T[] | undefined {
  if (!list) return list;
  return list.some(same) ? list.map((x) => (same(x) ? item : x)) : undefined;
}

// line is a device as it stands in a list.
function line(d: Device): DeviceLine {
  const { slug, name, room, kind, maker, model, keys } = d;
  const learned = keys.filter((k) => k.codes.length > 0).length;
  return { slug, name, room, kind, maker, model, keys_total: keys.length, keys_learned: learned };
}

export function applyDevice(list: DeviceLine[] | undefined, d: Device): DeviceLine[] | undefined {
  if (!list) return list;
  const rest = list.filter((x) => x.slug !== d.slug);
  if (!d.name) return rest; // it was removed
  const order = (x: DeviceLine) => `${x.room}\0${x.name}\0${x.slug}`;
  return [...rest, line(d)].sort((a, b) => (order(a) < order(b) ? -1 : 1));
}

export function applyCapture(list: Capture[] | undefined, c: Capture): Capture[] | undefined {
  if (!list) return list;
  return put(list, c, (x) => x.id === c.id) ?? [c, ...list].slice(0, longest);
}

export function applyEntry(pages: Entry[][], e: Entry): Entry[][] {
  const [first, ...rest] = pages;
  if (pages.some((p) => p.some((x) => x.id === e.id))) return pages;
  const sorted = [e, ...(first ?? [])].sort((a, b) => (a.id > b.id ? -1 : 1));
  return [sorted, ...rest];
}

// applyLesson takes a lesson or an audition as it is now.
export function applyLesson<T extends { id: string }>(list: T[] | undefined, l: T): T[] | undefined {
  if (!list) return list;
  return put(list, l, (x) => x.id === l.id) ?? [l, ...list];
}

export function applyStation(list: Station[] | undefined, s: Station): Station[] | undefined {
  if (!list) return list;
  return put(list, s, (x) => x.name === s.name) ?? [...list, s];
}
