import type { Where } from '../api/client';
import { words } from '../app/words';

// whereText is a part of the house in words.
export function whereText(w: Where): string {
  if (w.house) return words.people.wholeHouse;
  const named = [...(w.rooms ?? []), ...(w.devices ?? []), ...(w.measurements ?? []), ...(w.boards ?? [])];
  return named.length > 0 ? named.join(', ') : words.people.nowhere;
}

// whereOf is the part of the house that a form says: some rooms, or all of it; of a guest, some boards.
export function whereOf(role: string, rooms: string[], boards: string[] = []): Where {
  if (role === 'guest') return { boards };
  return role === 'owner' || rooms.length === 0 ? { house: true } : { rooms };
}

// endOf is the end of the day that a date field says, as the service reads it.
export function endOf(day: string): string | undefined {
  if (!day) return undefined;
  const t = new Date(`${day}T00:00:00`);
  t.setDate(t.getDate() + 1);
  return t.toISOString();
}
