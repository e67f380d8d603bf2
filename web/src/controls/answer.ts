import type { Control, Question } from '../api/client';

// milliseconds reads a time in seconds: 20, 4.5, 20 s, 2 min. undefined where it is none.
export function milliseconds(text: string): number | undefined {
  const m = /^(\d+(?:[.,]\d+)?)\s*(s|sec|seconds|min|minutes|m)?$/i.exec(text.trim());
  if (!m) return undefined;
  const n = Number((m[1] ?? '').replace(',', '.'));
  return Math.round(n * (/^m/i.test(m[2] ?? '') ? 60_000 : 1000));
}

// answered puts an answer into the form that it is about; undefined where it cannot be understood.
export function answered(controls: Control[], q: Question, text: string): Control[] | undefined {
  const change = (more: Partial<Control>) =>
    controls.map((c) => (c.name === q.control ? { ...c, ...more } : c));
  const answer = text.trim().toLowerCase();
  if (answer === 'no' || answer === '') return controls;
  switch (q.field) {
    case 'again_ms':
    case 'warm_up_ms':
    case 'open_ms': {
      const ms = milliseconds(answer);
      return ms === undefined ? undefined : change({ [q.field]: ms });
    }
    case 'most': {
      const n = Number(answer);
      return Number.isFinite(n) ? change({ most: n }) : undefined;
    }
    case 'values': {
      const values = answer.split(/[\s,]+/).filter(Boolean);
      return values.length < 2 ? undefined : change({ values });
    }
    case 'keys': {
      if (answer === 'turn') return controls;
      const form = controls.find((c) => c.name === q.control);
      if (answer !== 'on' || !form?.round) return undefined;
      const { round, ...rest } = form;
      return controls.map((c) => (c === form ? { ...rest, keys: { on: round } } : c));
    }
    default:
      return undefined;
  }
}
