import type { Control } from '../api/client';

// How the members of a control's form are written.
export type Way =
  'key' | 'list' | 'seconds' | 'number' | 'text' | 'pairs' | 'counts' | 'sequences' | 'choice' | 'after';

export interface Field {
  name: keyof Control;
  way: Way;
  more?: boolean; // it counts for few devices, and is shown where it is asked for
}

const f = (way: Way, ...names: (keyof Control)[]): Field[] => names.map((name) => ({ name, way }));
const more = (way: Way, ...names: (keyof Control)[]): Field[] =>
  names.map((name) => ({ name, way, more: true }));

// choices are the values of members that have few.
export const choices: Partial<Record<keyof Control, string[]>> = {
  ends: ['stop', 'round', 'turn'],
  goes_off_from: ['on', 'key'],
  woken: ['own', 'any'],
  hold_begins: ['up', 'down'],
};

// fieldsOf are the members that count for a kind, in the order in which they are asked.
export const fieldsOf: Record<Control['kind'], Field[]> = {
  power: [
    ...f('key', 'round'),
    ...f('pairs', 'keys'),
    ...f('list', 'values', 'also'),
    ...f('seconds', 'again_ms', 'warm_up_ms', 'cool_down_ms', 'longest_on_s'),
    ...f('text', 'mains_fail'),
    ...more('seconds', 'goes_off_s'),
    ...more('choice', 'goes_off_from'),
    ...more('text', 'while'),
  ],
  dial: [
    ...f('number', 'least', 'most', 'step'),
    ...f('text', 'unit'),
    ...f('key', 'up', 'down', 'round'),
    ...f('pairs', 'keys'),
    ...f('number', 'rate'),
    ...f('choice', 'ends'),
    ...f('text', 'on_start', 'while'),
    ...more('number', 'rate_later'),
    ...more('seconds', 'rate_ms'),
    ...more('key', 'hold'),
    ...more('seconds', 'hold_ms'),
    ...more('choice', 'hold_begins'),
    ...more('seconds', 'rest_ms'),
    ...more('choice', 'woken'),
  ],
  selector: [
    ...f('list', 'values'),
    ...f('key', 'round'),
    ...f('pairs', 'keys'),
    ...f('sequences', 'sequences'),
    ...f('seconds', 'timeout_ms'),
    ...f('text', 'on_start', 'while'),
    ...more('list', 'skips'),
    ...more('after', 'after_s'),
    ...more('seconds', 'lapses_ms', 'rest_ms'),
    ...more('choice', 'woken'),
  ],
  digits: [
    ...f('number', 'least', 'most', 'fewest'),
    ...f('key', 'enter', 'up', 'down'),
    ...f('pairs', 'keys'),
    ...f('seconds', 'pause_ms', 'timeout_ms'),
    ...f('counts', 'favourites'),
    ...f('text', 'on_start', 'while'),
  ],
  travel: [
    ...f('key', 'open', 'close', 'stop', 'round'),
    ...f('seconds', 'open_ms', 'close_ms', 'delay_ms'),
    ...f('list', 'values'),
    ...f('text', 'while'),
    ...more('text', 'slats_of'),
  ],
};

// written is a member of a form as people read and write it.
export function written(c: Control, { name, way }: Field): string {
  const v = c[name];
  if (v === undefined) return '';
  switch (way) {
    case 'seconds':
      return String(name.endsWith('_ms') ? (v as number) / 1000 : v);
    case 'list':
      return (v as string[]).join(', ');
    case 'pairs':
    case 'counts':
    case 'after':
      return Object.entries(v as Record<string, unknown>)
        .map(([value, key]) => `${value}=${String(key)}`)
        .join(', ');
    case 'sequences':
      return Object.entries(v as Record<string, string[]>)
        .map(([value, keys]) => `${value}=${keys.join(' ')}`)
        .join(', ');
    default:
      return String(v as string | number);
  }
}

const parts = (text: string): string[] =>
  text
    .split(',')
    .map((t) => t.trim())
    .filter(Boolean);

// pairs reads VALUE=…, VALUE=…; undefined where a part is not so.
function pairs<T>(text: string, read: (right: string) => T | undefined): Record<string, T> | undefined {
  const out: Record<string, T> = {};
  for (const part of parts(text)) {
    const at = part.indexOf('=');
    const right = read(part.slice(at + 1).trim());
    if (at < 1 || right === undefined) return undefined;
    out[part.slice(0, at).trim()] = right;
  }
  return out;
}

const number = (text: string): number | undefined =>
  text.trim() !== '' && Number.isFinite(Number(text)) ? Number(text) : undefined;

// read is a form with a member as it was written; undefined where that cannot be read.
export function read(c: Control, { name, way }: Field, text: string): Control | undefined {
  const put = (v: unknown) => (v === undefined ? undefined : { ...c, [name]: v });
  if (text.trim() === '') {
    return Object.fromEntries(Object.entries(c).filter(([member]) => member !== name)) as unknown as Control;
  }
  switch (way) {
    case 'seconds': {
      const n = number(text.replace(/\s*s$/, ''));
      if (n === undefined || n < 0) return undefined;
      return put(Math.round(name.endsWith('_ms') ? n * 1000 : n));
    }
    case 'number':
      return put(number(text));
    case 'list':
      return put(parts(text));
    case 'pairs':
      return put(pairs(text, (right) => right || undefined));
    case 'counts':
    case 'after':
      return put(pairs(text, number));
    case 'sequences':
      return put(
        pairs(text, (right) => {
          const keys = right.split(/\s+/).filter(Boolean);
          return keys.length ? keys : undefined;
        }),
      );
    default:
      return put(text.trim());
  }
}
