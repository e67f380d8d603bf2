import type { Entry } from '../api/client';

// An echo stands under the press that it belongs to: it is no news of its own.
export type Told = Entry & { echoes: Entry[] };

// fold puts echoes under their presses, where both are shown.
export function fold(entries: Entry[]): Told[] {
  const presses = new Map<string, Told>();
  const told: Told[] = entries.map((e) => ({ ...e, echoes: [] }));
  for (const e of told) if (e.kind === 'press') presses.set(e.id, e);
  return told.filter((e) => {
    const press = e.kind === 'echo' && e.cause_id ? presses.get(e.cause_id) : undefined;
    if (press) press.echoes.push(e);
    return !press;
  });
}

export type Filter = { kind: string; device: string; by: string; search: string; day: string };

export const noFilter: Filter = { kind: '', device: '', by: '', search: '', day: '' };

// queryOf is a filter as the service reads it.
export function queryOf(f: Filter): Record<string, string> {
  const out: Record<string, string> = {};
  for (const name of ['kind', 'device', 'by', 'search'] as const) {
    if (f[name].trim()) out[name] = f[name].trim();
  }
  if (f.day) {
    const from = new Date(`${f.day}T00:00:00`);
    const until = new Date(from);
    until.setDate(until.getDate() + 1);
    out.since = from.toISOString();
    out.until = until.toISOString();
  }
  return out;
}
