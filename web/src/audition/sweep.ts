import type { NewAudition } from '../api/client';

// parseSweep reads "nec address=0..63 command=2": a line code with its fields, one of them a range. It is undefined
// where that cannot be read.
export function parseSweep(text: string): NewAudition['sweep'] {
  const [sheet, ...words] = text.trim().split(/\s+/);
  if (!sheet) return undefined;
  const fields: Record<string, unknown> = {};
  let swept: { field: string; from: number; to: number } | undefined;
  for (const w of words) {
    const [, name, value] = /^([a-z_0-9]+)=(.+)$/.exec(w) ?? [];
    if (!name || !value) return undefined;
    const range = /^(\w+)\.\.(\w+)$/.exec(value);
    if (range) {
      const [from, to] = [Number(range[1]), Number(range[2])];
      if (swept || !Number.isInteger(from) || !Number.isInteger(to)) return undefined;
      swept = { field: name, from, to };
    } else {
      fields[name] = Number.isInteger(Number(value)) ? Number(value) : value;
    }
  }
  return swept && { sheet, fields, ...swept };
}
