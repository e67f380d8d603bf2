import type { HouseDay } from '../api/client';

// minuteOf is the minute of the day of a time as the house writes it, whatever zone the browser is in.
export function minuteOf(at: string): number {
  const m = /T(\d\d):(\d\d)(?::(\d\d))?/.exec(at);
  return m ? Number(m[1]) * 60 + Number(m[2]) + Number(m[3] ?? 0) / 60 : 0;
}

// clockOf is the time of day as the house writes it.
export const clockOf = (at: string) => /T(\d\d:\d\d)/.exec(at)?.[1] ?? '';

// Sign is a mark on the baseline of a day. A long one lasts until another minute.
export type Sign = {
  minute: number;
  until?: number;
  name: string;
  kind: 'ran' | 'skipped' | 'asked' | 'failed' | 'due';
};

const kinds: Record<string, Sign['kind']> = {
  ran: 'ran',
  ended: 'ran',
  stretched: 'ran',
  trial: 'asked',
  unknown: 'asked',
  failed: 'failed',
  stopped: 'failed',
};

// signs are the marks of a day: what came, with levels as long marks, and what is due.
export function signs(d: HouseDay): Sign[] {
  const out: Sign[] = [];
  const open = new Map<string, Sign>();
  for (const c of d.came) {
    const minute = minuteOf(c.at);
    const level = open.get(c.errand);
    if (c.did === 'ended' && level) {
      level.until = minute;
      open.delete(c.errand);
      continue;
    }
    const sign: Sign = { minute, name: c.errand, kind: kinds[c.did] ?? 'skipped' };
    out.push(sign);
    if (c.did === 'ran' && c.cue.startsWith('while ')) open.set(c.errand, sign);
  }
  for (const sign of open.values()) sign.until = d.now < d.to && d.now > d.from ? minuteOf(d.now) : 1440;
  for (const n of d.next) out.push({ minute: minuteOf(n.at), name: n.errand, kind: 'due' });
  return out;
}

// Shade is a part of a day that is darker: night, or twilight.
export type Shade = { from: number; to: number; night: boolean };

// shades are the night and the twilights of a day; where the sun does not rise, all of it is night.
export function shades(d: HouseDay): Shade[] {
  const at = (event: string) => {
    const found = d.sun.find((s) => s.event === event);
    return found ? minuteOf(found.at) : undefined;
  };
  const [dawn, rise, set, dusk] = ['dawn', 'sunrise', 'sunset', 'dusk'].map(at);
  const out: Shade[] = [];
  if (rise === undefined && set === undefined) return out; // nobody knows where it is, or the sun stays where it is
  out.push({ from: 0, to: dawn ?? rise ?? 0, night: true });
  if (dawn !== undefined && rise !== undefined) out.push({ from: dawn, to: rise, night: false });
  if (set !== undefined && dusk !== undefined) out.push({ from: set, to: dusk, night: false });
  out.push({ from: dusk ?? set ?? 1440, to: 1440, night: true });
  return out.filter((s) => s.to > s.from);
}

// Label is where a name stands: in a row of its own where there is no room.
export type Label = { x: number; row: number; text: string };

// labels finds a place for names beside their marks, in at most so many rows; those without room are left out.
export function labels(
  all: { x: number; text: string }[],
  width: number,
  letter: number,
  rows: number,
): Label[] {
  const ends: number[] = Array.from({ length: rows }, () => -Infinity);
  const out: Label[] = [];
  for (const one of [...all].sort((a, b) => a.x - b.x)) {
    const long = one.text.length * letter;
    const x = Math.max(0, Math.min(one.x + 6, width - long));
    const row = ends.findIndex((end) => end <= x);
    if (row < 0) continue;
    ends[row] = x + long + 8;
    out.push({ x, row, text: one.text });
  }
  return out;
}
