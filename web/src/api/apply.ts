import type { Gauge, Capture, Entry, Station } from './client';

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

// applyStored marks captures as safe on disk.
export function applyStored(list: Capture[] | undefined, ids: string[]): Capture[] | undefined {
  return list?.map((c) => (ids.includes(c.id) ? { ...c, stored: true } : c));
}

// applyNews notes an entry of the journal that is not shown yet, once, and no more than can be looked at.
export function applyNews(news: Entry[] | undefined, e: Entry): Entry[] {
  const list = news ?? [];
  return list.some((x) => x.id === e.id) ? list : [e, ...list].slice(0, longest);
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

// applyGauge takes a value that was told; what is said of the measurement stays. A new one is asked for.
export function applyGauge(old: Gauge[] | undefined, told: Gauge): Gauge[] | undefined {
  return old?.map((m) => (m.name === told.name ? { ...told, spec: m.spec } : m));
}
