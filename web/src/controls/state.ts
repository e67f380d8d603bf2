import type { Control, ControlState } from '../api/client';
import { words } from '../app/words';
import { clock } from '../shared/text';

// valuesOf lists the values of a control that has names for them.
export function valuesOf(c: Control): string[] {
  if (c.kind === 'power' && !c.values?.length) return ['off', 'on'];
  return c.values ?? [];
}

// endsOf are the names of a travel's ends, closed and open.
export function endsOf(c: Control): [string, string] {
  const [closed = 'closed', open = 'open'] = c.values ?? [];
  return [closed, open];
}

// shown is what a control is believed to be at, in words. What is doubtful has a question mark.
export function shown(s: ControlState): string {
  const unit = s.unit && s.value ? ` ${s.unit}` : '';
  if (!s.value && !s.source) return words.controls.notKnown;
  const text = s.value ? s.value + unit : s.may.join(words.controls.or);
  const mark = s.word === 'doubtful' ? ' ?' : '';
  if (s.phase === 'warming') return `${text}${mark}, ${words.controls.warming}`;
  if (s.phase === 'cooling') return `${text}${mark}, ${words.controls.cooling}`;
  if (s.moving) return `${text}${mark}, ${words.controls.moving}`;
  return text + mark;
}

// from says where a belief comes from, and since when.
export function from(s: ControlState): string {
  if (!s.source) return words.controls.nobody;
  const at = s.history[0]?.at ?? s.at;
  const before = s.history[1];
  const text = `${words.controls.sources[s.source]}${at ? ` ${clock(at)}` : ''}`;
  return before ? `${text}; ${words.controls.before(before.value)}` : text;
}

// step is the number after some steps of a dial, within its ends.
export function step(c: Control, value: number, steps: number): number {
  const by = c.step ?? 1;
  const next = Math.round((value + steps * by) * 1e6) / 1e6;
  return Math.min(Math.max(next, c.least ?? 0), c.most ?? 0);
}
