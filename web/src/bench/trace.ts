// The arithmetic of a drawing of signals: where edges are, what lies under the cursor, and what part of time is shown.
import type { Capture, Comparison, Structure } from '../api/client';

// Label is a piece of a signal with a meaning: a bit, a lead, a pause.
export type Label = { from: number; to: number; text: string };

// unknownGap is the silence in µs between two trains of which nothing is known.
const unknownGap = 20_000;

// flatten joins the trains of a press into one list of durations, mark first, ending with a mark.
export function flatten(trains: Capture['trains']): number[] {
  return trains.flatMap((t, i) => (i + 1 < trains.length ? [...t.train, t.gap_us || unknownGap] : t.train));
}

// edges are the times in µs at which the durations begin, and the end of the last.
export function edges(durations: number[], scale = 1, start = 0): number[] {
  const out = [start];
  let at = start;
  for (const d of durations) {
    at += d * scale;
    out.push(at);
  }
  return out;
}

// at finds the duration that lies at a time: its index, or -1 beside the signal.
export function at(times: number[], us: number): number {
  if (times.length < 2 || us < (times[0] ?? 0) || us >= (times.at(-1) ?? 0)) return -1;
  let low = 0;
  let high = times.length - 1;
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if ((times[middle] ?? 0) <= us) low = middle;
    else high = middle;
  }
  return low;
}

// labels puts the pieces of a frame onto every place where the frame was heard.
export function labels(structure: Structure | undefined, durations: number): Label[] {
  if (!structure) return [];
  return structure.starts.flatMap((start) =>
    structure.spans
      .map((s) => ({ from: start + s.from, to: start + s.to, text: s.text }))
      .filter((l) => l.to <= durations + 1),
  );
}

// fixed are pieces of a frame that carry no bits.
const fixed = ['lead', 'pause', 'tail'];

// changed are the pieces of a frame that are bits of which the number, from 1 over all bits, is one of those.
export function changed(spans: Structure['spans'], numbers: number[]): Label[] {
  let n = 0;
  const out: Label[] = [];
  for (const s of spans) {
    if (fixed.includes(s.text)) continue;
    n += 1;
    if (numbers.includes(n)) out.push({ from: s.from, to: s.to, text: s.text });
  }
  return out;
}

// placeOf is where the second of two signals begins on the first, in µs.
export const placeOf = (c: Comparison) => c.a.slice(0, c.offset).reduce((sum, d) => sum + d, 0);

// View is the part of time that is shown, in µs.
export type View = { min: number; max: number };

const narrowest = 200;

// zoom makes the view shorter (factor < 1) or longer around a time, within the whole.
export function zoom(view: View, whole: View, around: number, factor: number): View {
  const length = Math.min(
    Math.max((view.max - view.min) * factor, Math.min(narrowest, whole.max - whole.min)),
    whole.max - whole.min,
  );
  const share = (around - view.min) / (view.max - view.min);
  return pan({ min: around - share * length, max: around + (1 - share) * length }, whole, 0);
}

// pan moves the view by some µs, within the whole.
export function pan(view: View, whole: View, us: number): View {
  const length = view.max - view.min;
  const min = Math.min(Math.max(view.min + us, whole.min), whole.max - length);
  return { min, max: min + length };
}

// firstFrames is the view that a press opens with: its first frame and a little of what comes after.
export function opening(structure: Structure | undefined, times: number[]): View {
  const end = times.at(-1) ?? 1;
  const whole = { min: -0.02 * end, max: 1.02 * end };
  if (!structure || structure.frames < 2) return whole;
  const first = structure.starts[0] ?? 0;
  const second = structure.starts[1] ?? times.length - 1;
  const min = times[first] ?? 0;
  const max = times[second] ?? end;
  const margin = 0.03 * (max - min);
  return { min: min - margin, max: max + margin };
}
