// The parts of an errand, as the service sends them (the tree of a checked errand), and how they are written. The form
// edits these; what it writes is checked by the service like any other text, so that both say the same.

export type Target = { kind: string; id: string; was: string };
export type Point = { clock?: number; sun?: string; offset?: number };
export type Day = { year: number; month: number; day: number };
export type Days = { of?: number[]; nth?: number };
export type Quantity = { number: string; unit?: string };

export type Test = {
  on: Target;
  control?: string;
  is: string;
  value: string;
  unit?: string;
  which?: string;
  until?: Quantity;
  for?: number;
};
export type Past = {
  on: Target;
  name?: string;
  which?: string;
  what: string;
  by?: string;
  within: number;
};
export type Cond = {
  all?: Cond[];
  any?: Cond[];
  not?: Cond;
  test?: Test;
  between?: { from: Point; to: Point; on?: Days };
  on?: Days;
  span?: { from: Day; to: Day };
  sky?: { is: string; angle?: string };
  past?: Past;
  in?: Target;
  marker?: string;
  ran?: { errand: Target; within: number };
};

export type Sudden = {
  pressed?: { on: Target; key: string; how?: string };
  becomes?: { on: Target; control: string; leaves?: boolean; value: string; by?: string };
  moves?: { on: Target; control?: string; which?: string; falls?: boolean; by: Quantity; within: number };
  silent?: Target;
  battery?: Target;
  occasion?: { on: Target; ends?: boolean };
  phrase?: string;
  message?: { topic: string; pointer?: string; is?: string };
  hook?: string;
  calendar?: { name: string; ends?: boolean; titled?: string };
  station?: { on: Target; ends?: boolean };
  house?: boolean;
  mains?: boolean;
  for?: number;
};

export type Cue = {
  offset?: number;
  times?: number[];
  date?: Day;
  every?: { each: number; from?: number; to?: number };
  sun?: string;
  sudden?: Sudden;
  level?: Test;
  scatter?: number;
  limits?: { before?: boolean; at: number }[];
  skip?: boolean;
  on?: Days;
};

export type Wanted = { on: Target; control: string; value: string };
export type Step = {
  press?: { on: Target; key: string; times?: number; held?: number };
  set?: { changes: Wanted[]; hold?: number; until?: Point; then?: string };
  call?: Target;
  wait?: { for: number; until?: Cond; point?: Point; happens?: Sudden };
  if?: { cond: Cond; do: Step[]; else?: Step[] };
  notify?: string;
  start?: { on: Target; over?: boolean };
  end?: Target;
  mark?: string;
  unmark?: string;
  send?: { name: string; text?: string };
};

export type Rules = {
  missed?: string;
  run_within?: number;
  unknown?: string;
  end_after?: number;
  doubtful?: string;
  ask_for?: number;
  ask_until?: number;
  busy?: string;
};

export type Remark = { clause: string; text: string; alone?: boolean };

export type Errand = {
  name: string;
  when?: Cue[];
  only?: Cond;
  while?: Cond;
  do: Step[];
  back?: boolean;
  after?: Step[];
  rules?: Rules;
  remarks?: Remark[];
};

// second is one, in the nanoseconds of the tree.
export const second = 1e9;

const units: [string, number][] = [
  ['d', 86_400 * second],
  ['h', 3_600 * second],
  ['min', 60 * second],
  ['s', second],
  ['ms', 1e6],
];

// dur writes a time: 1 h 30 min.
export function dur(ns: number): string {
  const parts: string[] = [];
  let left = ns;
  for (const [name, is] of units) {
    const n = Math.floor(left / is);
    if (n > 0) parts.push(`${n} ${name}`);
    left -= n * is;
  }
  return parts.join(' ') || '0 s';
}

// readDur reads a time as people write it: 1 h 30 min, 90s. It is null where it is none.
export function readDur(text: string): number | null {
  const parts = [...text.trim().matchAll(/(\d+(?:\.\d+)?)\s*(d|h|min|s|ms)(?![a-z])\s*/g)];
  if (parts.map((p) => p[0]).join('') !== text.trim() || parts.length === 0) return null;
  return parts.reduce((sum, p) => sum + Number(p[1]) * (units.find(([u]) => u === p[2])?.[1] ?? 0), 0);
}

const two = (n: number) => String(n).padStart(2, '0');

// clockText writes a time of day, in minutes from midnight.
export const clockText = (minutes: number) => `${two(Math.floor(minutes / 60))}:${two(minutes % 60)}`;

// readClock reads a time of day; null where it is none.
export function readClock(text: string): number | null {
  const m = /^(\d{1,2}):(\d\d)$/.exec(text.trim());
  if (!m || Number(m[1]) > 23 || Number(m[2]) > 59) return null;
  return Number(m[1]) * 60 + Number(m[2]);
}

export const weekdays = ['sun', 'mon', 'tue', 'wed', 'thu', 'fri', 'sat'];
export const nths = ['', 'first', 'second', 'third', 'fourth'];
const nthText = (n: number) => (n < 0 ? 'last' : (nths[n] ?? ''));

const same = (a: number[] | undefined, b: number[]) =>
  !!a && a.length === b.length && a.every((x, i) => x === b[i]);

// daysText writes days of the week.
export function daysText(d: Days): string {
  if (d.nth && d.of?.length === 1) return `${nthText(d.nth)} ${weekdays[d.of[0] ?? 0]}`;
  if (same(d.of, [1, 2, 3, 4, 5])) return 'weekdays';
  if (same(d.of, [6, 0])) return 'weekends';
  return (d.of ?? []).map((n) => weekdays[n]).join(', ');
}

const dateText = (d: Day) =>
  d.year
    ? `${String(d.year).padStart(4, '0')}-${two(d.month)}-${two(d.day)}`
    : `${two(d.month)}-${two(d.day)}`;

const offsetText = (ns = 0) => (ns < 0 ? `${dur(-ns)} before ` : ns > 0 ? `${dur(ns)} after ` : '');

// pointText writes a moment of a day.
export const pointText = (p: Point) => offsetText(p.offset) + (p.sun || clockText(p.clock ?? 0));

const quantityText = (q: Quantity) => `${q.number} ${q.unit ?? ''}`.trim();
const quote = (text: string) =>
  JSON.stringify(text).replace(
    /[<>&\u2028\u2029]/g,
    (c) => `\\u${c.charCodeAt(0).toString(16).padStart(4, '0')}`,
  );
const pathText = (on: Target, name: string) => `${on.was}/${name}`;
const gauge = (on: Target, name: string | undefined, which = '') =>
  `${which} ${on.kind === 'measurement' ? on.id : pathText(on, name ?? '')}`.trim();
const when = (is: boolean | undefined, text: string) => (is ? text : '');

function testText(t: Test): string {
  return (
    `${gauge(t.on, t.control, t.which)} ${t.is} ${quantityText({ number: t.value, unit: t.unit })}` +
    (t.until ? ` until ${quantityText(t.until)}` : '') +
    when(!!t.for, ` for ${dur(t.for ?? 0)}`)
  );
}

// condText writes a condition; inner ones that bind less stand in brackets.
export function condText(c: Cond, tight = 0): string {
  if (c.not) return `not ${condText(c.not, 3)}`;
  if (c.test) return testText(c.test);
  if (c.between)
    return (
      `between ${pointText(c.between.from)} and ${pointText(c.between.to)}` +
      (c.between.on?.of?.length ? ` on ${daysText(c.between.on)}` : '')
    );
  if (c.on) return `on ${daysText(c.on)}`;
  if (c.span) return `from ${dateText(c.span.from)} to ${dateText(c.span.to)}`;
  if (c.sky) return c.sky.angle ? `sun ${c.sky.is} ${c.sky.angle} °` : `sun ${c.sky.is}`;
  if (c.in) return `occasion ${c.in.was}`;
  if (c.marker) return `marker ${c.marker}`;
  if (c.ran) return `errand ${c.ran.errand.was} ran within ${dur(c.ran.within)}`;
  if (c.past) {
    const p = c.past;
    const text = `${gauge(p.on, p.name, p.which)} ${p.what}${p.by ? ` by ${p.by}` : ''}`;
    return `${text} ${p.what === 'unchanged' ? 'for' : 'within'} ${dur(p.within)}`;
  }
  const any = (c.any ?? []).length > 0;
  const level = any ? 1 : 2;
  const text = [...(c.any ?? []), ...(c.all ?? [])]
    .map((x) => condText(x, level + 1))
    .join(any ? ' or ' : ' and ');
  return level < tight || tight === 3 ? `(${text})` : text;
}

// suddenText writes what happens.
export function suddenText(s: Sudden): string {
  const stays = s.for ? ` for ${dur(s.for)}` : '';
  if (s.pressed) return `${pathText(s.pressed.on, s.pressed.key)} pressed ${s.pressed.how ?? ''}`.trim();
  if (s.becomes) {
    const b = s.becomes;
    return `${pathText(b.on, b.control)} ${b.leaves ? 'leaves' : 'becomes'} ${b.value}${b.by ? ` by ${b.by}` : ''}${stays}`;
  }
  if (s.moves) {
    const m = s.moves;
    return `${gauge(m.on, m.control, m.which)} ${m.falls ? 'falls' : 'rises'} by ${quantityText(m.by)} within ${dur(m.within)}`;
  }
  if (s.silent) return `${s.silent.id} silent${stays}`;
  if (s.battery) return `battery ${s.battery.id} low`;
  if (s.occasion) return `occasion ${s.occasion.on.was} ${s.occasion.ends ? 'ends' : 'starts'}`;
  if (s.station) return `station ${s.station.on.was} ${s.station.ends ? 'leaves' : 'returns'}`;
  if (s.phrase) return `phrase ${quote(s.phrase)}`;
  if (s.message)
    return (
      `message ${quote(s.message.topic)}` +
      (s.message.pointer ? ` at ${quote(s.message.pointer)}` : '') +
      (s.message.is !== undefined ? ` is ${quote(s.message.is)}` : '')
    );
  if (s.hook) return `hook ${s.hook}`;
  if (s.calendar)
    return (
      `calendar ${s.calendar.name} ${s.calendar.ends ? 'ends' : 'starts'}` +
      (s.calendar.titled ? ` titled ${quote(s.calendar.titled)}` : '')
    );
  return s.mains ? 'mains return' : 'house starts';
}

// cueText writes a cue.
export function cueText(c: Cue): string {
  let text = offsetText(c.offset);
  const times = (c.times ?? []).map(clockText);
  if (c.date) text += `on ${dateText(c.date)} at ${times[0] ?? ''}`;
  else if (times.length) text += `at ${times.join(', ')}`;
  else if (c.every) {
    text += `every ${dur(c.every.each)}`;
    if (c.every.from !== undefined)
      text += ` from ${clockText(c.every.from)} to ${clockText(c.every.to ?? 0)}`;
  } else if (c.sun) text += c.sun;
  else if (c.level) text += testText(c.level);
  else if (c.sudden) text += suddenText(c.sudden);
  if (c.scatter) text += ` give or take ${dur(c.scatter)}`;
  for (const l of c.limits ?? []) text += ` not ${l.before ? 'before' : 'after'} ${clockText(l.at)}`;
  if (c.skip) text += ' else skip';
  if (c.on?.of?.length) text += ` on ${daysText(c.on)}`;
  return text;
}

const amount = (value: string) => value.replace(/^up /, '+').replace(/^down /, '-');

function setText(s: NonNullable<Step['set']>): string {
  const paths = s.changes.map((c) => pathText(c.on, c.control));
  const to = (value: string) => (amount(value) === value ? value : `by ${amount(value)}`);
  const first = s.changes[0]?.value ?? '';
  let text = s.changes.every((c) => c.value === first)
    ? `set ${paths.join(' and ')} ${amount(first) === first ? `to ${first}` : to(first)}`
    : `set (${s.changes.map((c, i) => `${paths[i]} ${to(c.value)}`).join(', ')})`;
  if (s.until) text += ` until ${pointText(s.until)} and ${s.then ? `then ${s.then}` : 'back'}`;
  else if (s.hold) text += ` for ${dur(s.hold)} and ${s.then ? `then ${s.then}` : 'back'}`;
  return text;
}

const partText = (steps: Step[]) => `(${steps.map(stepText).join(' then ')})`;

// stepText writes a step.
export function stepText(s: Step): string {
  if (s.press)
    return (
      `press ${pathText(s.press.on, s.press.key)}` +
      when((s.press.times ?? 0) > 1, ` ${s.press.times} times`) +
      when(!!s.press.held, ` held ${dur(s.press.held ?? 0)}`)
    );
  if (s.set) return setText(s.set);
  if (s.call) return `run ${s.call.was}`;
  if (s.wait?.point) return `wait until ${pointText(s.wait.point)}`;
  if (s.wait?.happens) return `wait until ${suddenText(s.wait.happens)} at most ${dur(s.wait.for)}`;
  if (s.wait?.until) return `wait until ${condText(s.wait.until)} at most ${dur(s.wait.for)}`;
  if (s.wait) return `wait ${dur(s.wait.for)}`;
  if (s.if)
    return (
      `if ${condText(s.if.cond)} do ${partText(s.if.do)}` +
      (s.if.else?.length ? ` else ${partText(s.if.else)}` : '')
    );
  if (s.start) return `start ${s.start.on.was}${s.start.over ? ' over people' : ''}`;
  if (s.end) return `end ${s.end.was}`;
  if (s.mark) return `mark ${s.mark}`;
  if (s.unmark) return `unmark ${s.unmark}`;
  if (s.send) return s.send.text ? `send ${s.send.name} ${quote(s.send.text)}` : `send ${s.send.name}`;
  return `notify ${quote(s.notify ?? '')}`;
}

const stepsText = (steps: Step[]) => steps.map(stepText).join('\n  then ');

// ruleTexts are the rules, by their names.
export function ruleTexts(r: Rules): [string, string][] {
  const out: [string, string][] = [];
  if (r.missed)
    out.push(['missed', `if missed ${r.missed}${r.run_within ? ` within ${dur(r.run_within)}` : ''}`]);
  if (r.unknown)
    out.push(['unknown', `if unknown ${r.unknown}${r.end_after ? ` after ${dur(r.end_after)}` : ''}`]);
  if (r.doubtful) {
    const how = r.ask_for
      ? ` for ${dur(r.ask_for)}`
      : r.ask_until !== undefined
        ? ` until ${clockText(r.ask_until)}`
        : '';
    out.push(['doubtful', `if doubtful ${r.doubtful}${how}`]);
  }
  if (r.busy) out.push(['busy', `if busy ${r.busy}`]);
  return out;
}

// print writes an errand as the service does: each clause in a line of its own.
export function print(e: Errand): string {
  const lines: string[] = [];
  const line = (clause: string, text: string) => {
    let all = text;
    for (const r of e.remarks ?? []) {
      if (r.clause !== clause) continue;
      if (r.alone) lines.push(`# ${r.text}`);
      else all += ` # ${r.text}`;
    }
    lines.push(all);
  };
  line('errand', `errand ${e.name}`);
  if (e.while) line('while', `while ${condText(e.while)}`);
  else line('when', `when ${(e.when ?? []).map(cueText).join('\n  or ')}`);
  if (e.only) line('only if', `only if ${condText(e.only)}`);
  line('do', `do ${stepsText(e.do)}`);
  if (e.back) line('afterwards', 'afterwards back');
  else if (e.after?.length) line('afterwards', `afterwards ${stepsText(e.after)}`);
  for (const [name, text] of ruleTexts(e.rules ?? {})) line(name, text);
  return lines.join('\n');
}
