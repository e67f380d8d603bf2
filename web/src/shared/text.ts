import type { Code, Reading } from '../api/client';
import { words } from '../app/words';

const two = (n: number) => String(n).padStart(2, '0');

// clock is a time of day, with the date when it is not today.
export function clock(iso: string, now = new Date()): string {
  const t = new Date(iso);
  const time = `${two(t.getHours())}:${two(t.getMinutes())}:${two(t.getSeconds())}`;
  if (t.toDateString() === now.toDateString()) return time;
  return `${t.getFullYear()}-${two(t.getMonth() + 1)}-${two(t.getDate())} ${time}`;
}

// hertz prints a carrier or a channel: 38 kHz, 433.92 MHz.
export function hertz(hz: number): string {
  return hz >= 1e6 ? `${hz / 1e6} MHz` : `${hz / 1e3} kHz`;
}

// fields prints the fields of a reading: "address 57, command 2".
export function fields(of: Reading['fields'] | undefined): string {
  return Object.entries(of ?? {})
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .map(([name, value]) => `${name} ${String(value)}`)
    .join(', ');
}

// read prints what was read: the line code, its fields, and for a sensor what they measure.
export function read(r: Reading): string {
  const measured = (r.measured ?? []).map((m) => `${m.name} ${m.value} ${m.unit}`.trim()).join(', ');
  return `${r.sheet}: ${measured || fields(r.fields)}`;
}

// sends prints what a code sends.
export function sends(code: Code): string {
  if (code.sheet) return `${code.sheet}: ${fields(code.fields)}`;
  const bits = Object.values(code.fields ?? {}).join(' ');
  return bits ? words.device.own(bits) : words.device.train(code.train?.length ?? 0);
}

// slugged makes a key's name of what was typed: "Volume up" is "volume-up".
export function slugged(name: string): string {
  return name
    .trim()
    .toLowerCase()
    .replaceAll(/[^a-z0-9]+/g, '-')
    .replaceAll(/^-|-$/g, '');
}

// label prints a key's name as on a handset: "volume-up" is "volume up".
export function label(key: string): string {
  return key.replaceAll('-', ' ');
}
