import type { Control, ControlState, Gauge } from '../api/client';
import { words } from '../app/words';
import { clock, label } from '../shared/text';

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
  const value = s.about ? words.controls.about(`${s.value}${unit}`) : `${s.value}${unit}`;
  const text = s.value ? value : s.may.join(words.controls.or);
  const mark = s.word === 'doubtful' ? ' ?' : '';
  if (s.phase === 'warming') return `${text}${mark}, ${words.controls.warming}`;
  if (s.phase === 'cooling') return `${text}${mark}, ${words.controls.cooling}`;
  if (s.phase === 'unfed') return `${text}${mark}, ${words.controls.unfed}`;
  if (s.moving) return `${text}${mark}, ${words.controls.moving}`;
  return text + mark;
}

// most is how many controls are told of a device in one line.
const most = 4;

// brief is what a device is believed to be at, in one line: of what is off, no more than that.
export function brief(states: ControlState[]): string {
  const power = states.find((s) => s.kind === 'power');
  if (power?.value === 'off') return shown(power);
  const known = states.filter((s) => s.value);
  return known
    .slice(0, most)
    .map((s) => (s.kind === 'power' || s.kind === 'travel' ? shown(s) : `${label(s.control)} ${shown(s)}`))
    .join(', ');
}

// gauge is a measurement with its unit.
export function gauge(g: Gauge): string {
  return `${g.value}${g.unit ? ` ${g.unit}` : ''}`;
}

// comfortOf finds the dial of a temperature, on a device that can be switched: the heart of heating and cooling.
export function comfortOf<T extends Pick<Control, 'kind' | 'unit'>>(controls: T[]): T | undefined {
  if (!controls.some((c) => c.kind === 'power')) return undefined;
  return controls.find((c) => c.kind === 'dial' && /^°[CF]$/.test(c.unit ?? ''));
}

// usual are the modes of heating and cooling, by how their names begin.
const usual: Record<string, string> = {
  heat: 'heating',
  cool: 'cooling',
  dry: 'drying',
  fan: 'fan-only mode',
  auto: 'auto mode',
};

// lacks lists what a device for heating and cooling does not have of what most have.
export function lacks(controls: Control[]): string[] {
  const mode = controls.find((c) => c.name === 'mode');
  const out = mode ? Object.keys(usual).filter((u) => !mode.values?.some((v) => v.startsWith(u))) : [];
  return [
    ...out.map((u) => usual[u] ?? u),
    ...['fan', 'vane'].filter((name) => !controls.some((c) => c.name === name)),
  ];
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
export function step(c: Pick<Control, 'step' | 'least' | 'most'>, value: number, steps: number): number {
  const by = c.step || 1;
  const next = Math.round((value + steps * by) * 1e6) / 1e6;
  return Math.min(Math.max(next, c.least ?? 0), c.most ?? 0);
}
