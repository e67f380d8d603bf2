import type { Control, Whole } from '../api/client';

// Carried is what a field of a frame carries, as people write it.
export interface Carried {
  control: string;
  field: string;
  values: string;
  unit: string;
}

// carried is what is said of a field already.
export function carried(field: string, whole: Whole | undefined, controls: Control[]): Carried {
  const out: Carried = { control: '', field, values: '', unit: '' };
  const fixed = whole?.fixed?.[field];
  const set = whole?.settings.find((s) => s.field === field);
  if (!set) return { ...out, values: fixed === undefined ? '' : String(fixed) };
  const c = controls.find((o) => o.name === set.control);
  out.control = set.control;
  if (!set.values) {
    const least = c?.least ?? 0;
    const from = set.from ?? 0;
    const by = c?.step && c.step !== 1 ? ` by ${c.step}` : '';
    return {
      ...out,
      values: `${least} to ${c?.most ?? 0}${by}${from === least && !by ? '' : ` = ${from}`}`,
      unit: c?.unit ?? '',
    };
  }
  const names = c?.values ?? (c?.kind === 'power' ? ['off', 'on'] : Object.keys(set.values));
  return { ...out, values: names.map((v) => `${v}=${set.values?.[v] ?? 0}`).join(', ') };
}
