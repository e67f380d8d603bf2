import type { Capture, Entry, Station } from './client';

// What an event does to a list that was read before. A list that was never read stays so.

const longest = 200;

function put<T>(list: T[] | undefined, item: T, same: (a: T) => boolean): T[] | undefined {
  if (!list) return list;
  return list.some(same) ? list.map((x) => (same(x) ? item : x)) : undefined;
}

export function applyCapture(list: Capture[] | undefined, c: Capture): Capture[] | undefined {
  if (!list) return list;
  return put(list, c, (x) => x.id === c.id) ?? [c, ...list].slice(0, longest);
}

export function applyEntry(pages: Entry[][], e: Entry): Entry[][] {
  const [first, ...rest] = pages;
  if (pages.some((p) => p.some((x) => x.id === e.id))) return pages;
  return [[e, ...(first ?? [])].slice(0, longest), ...rest]; // they come in their order
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
