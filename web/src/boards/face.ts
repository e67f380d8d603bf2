import type { BoardState, Face, TileControl, TileState } from '../api/client';
import { words } from '../app/words';
import { label } from '../shared/text';

// moves says whether anything on a board changes with time alone.
export function moves(state: BoardState | undefined): boolean {
  return Object.values(state?.tiles ?? {}).some((t) => t.controls?.some((c) => c.moving || c.until));
}

// Trust is how a face is drawn: solid, dashed, or dashed in grey with a question mark.
export type Trust = 'certain' | 'believed' | 'doubtful';

export function trust(c: TileControl | undefined): Trust {
  return c?.value ? c.word : 'doubtful';
}

// control finds what a control of a tile is at.
export function control(state: TileState | undefined, name: string): TileControl | undefined {
  return state?.controls?.find((c) => c.control === name);
}

// said is what a control is believed to be at, as its face says it. wanted is what somebody wants of it just now.
export function said(face: Face, is: TileControl | undefined, wanted?: string): string {
  const value = wanted ?? is?.value;
  if (!value) return '?';
  if (value === 'mixed') return words.boards.mixed;
  const text = /^\d+(\.\d+)?%?$/.test(value) ? value : label(value);
  const unit = face.unit ? ` ${face.unit}` : '';
  return `${text}${unit}${wanted === undefined && is?.word === 'doubtful' ? ' ?' : ''}`;
}

// phase says what keeps a device from obeying, "" where nothing does.
export function phase(is: TileControl | undefined): string {
  switch (is?.phase) {
    case 'warming':
      return words.controls.warming;
    case 'cooling':
      return words.controls.cooling;
    case 'unfed':
      return words.controls.unfed;
  }
  return '';
}

// isOn says whether a power is on, undefined where that is not known. Some on and some off is on: a tap switches off.
export function isOn(face: Face, value: string | undefined): boolean | undefined {
  if (!value) return undefined;
  return value !== (face.choices[0] ?? 'off');
}

// other is what a tap on a power wants: off where it is on, else on.
export function other(face: Face, value: string | undefined): string {
  const [off = 'off', on = 'on'] = face.choices;
  return isOn(face, value) ? off : on;
}

// part is where a value lies on a dial or a way, from 0 to 1.
export function part(face: Face, value: string | undefined): number {
  if (value === undefined) return 0;
  if (face.kind === 'travel') {
    const [open, closed] = [face.choices[1], face.choices[0]];
    if (value === open) return 1;
    if (value === closed) return 0;
    return Math.min(Math.max(parseFloat(value) / 100 || 0, 0), 1);
  }
  const span = face.most - face.least || 1;
  return Math.min(Math.max((parseFloat(value) - face.least) / span, 0), 1);
}

// reach is where a value may be, from and to, both from 0 to 1, where it is not known to a step.
export function reach(face: Face, is: TileControl | undefined): [number, number] | undefined {
  const [from, to] = (is?.near ?? '').split(' to ');
  if (from === undefined || to === undefined) return undefined;
  return [part(face, from), part(face, to)];
}

// at is the value of a dial at a part of its ruler.
export function at(face: Face, share: number): number {
  const by = face.step || 1;
  const raw = face.least + Math.min(Math.max(share, 0), 1) * (face.most - face.least);
  return Math.round((Math.round((raw - face.least) / by) * by + face.least) * 1e6) / 1e6;
}

// faceSize is how much of a row a face needs.
export function faceSize(face: Face): 'small' | 'wide' {
  return face.fixed || (face.kind === 'power' && face.choices.length <= 2) ? 'small' : 'wide';
}

// fewest choices that are shown as a list: up to there they stand side by side.
const list = 6;

export const isList = (face: Face) => face.choices.length >= list;
