import type { Gauge } from '../api/client';
import { words } from '../app/words';

// sourceOf is where the values of a measurement come from.
export function sourceOf(m: Gauge): 'push' | 'topic' | 'radio' | 'worked' {
  if (m.spec?.topic) return 'topic';
  if (m.spec?.sheet) return 'radio';
  return m.spec?.worked ? 'worked' : 'push';
}

// sourceText says it.
export function sourceText(m: Gauge): string {
  const s = m.spec;
  switch (sourceOf(m)) {
    case 'topic':
      return [s?.topic, s?.pointer].filter(Boolean).join(' ');
    case 'radio':
      return [s?.sheet, ...Object.entries(s?.fields ?? {}).map(([n, v]) => `${n}=${v}`), s?.reads]
        .filter(Boolean)
        .join(' ');
    case 'worked':
      return `${s?.worked ?? ''} of ${(s?.of ?? []).join(', ')} ${s?.value ?? ''}`.trim();
  }
  return words.measurements.sources.push ?? '';
}

// gaugeText is a value with its unit; what nobody knows is said so.
export function gaugeText(m: Gauge): string {
  if (!m.at) return words.measurements.never;
  if (m.silent) return words.measurements.silent;
  return `${Number(m.value.toPrecision(6))} ${m.unit ?? ''}`.trim();
}
