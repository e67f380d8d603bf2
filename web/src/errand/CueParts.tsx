import { words } from '../app/words';
import { Clock, Offset, OnDays, Pick, Row, Several, Span, suns, Text, type PartOf } from './fields';
import { named, split, type Names } from './names';
import type { Cue, Sudden } from './tree';
import { clockText } from './tree';

const w = words.builder;
const minute = 60e9;

type Kind = keyof typeof w.cues;

// kindOf is which kind of cue it is.
function kindOf(c: Cue): Kind {
  if (c.date) return 'date';
  if (c.times) return 'time';
  if (c.every) return 'every';
  if (c.sun) return 'sun';
  if (c.level) return 'level';
  return suddenKind(c.sudden ?? {});
}

function suddenKind(s: Sudden): Kind {
  for (const kind of [
    'pressed',
    'becomes',
    'moves',
    'silent',
    'battery',
    'occasion',
    'station',
    'phrase',
    'message',
    'hook',
    'calendar',
    'mains',
  ] as const)
    if (s[kind] !== undefined) return kind;
  return 'house';
}

const planned = (kind: Kind) => ['date', 'time', 'every', 'sun'].includes(kind);

// today is a date to begin with.
function today() {
  const d = new Date();
  return { year: d.getFullYear(), month: d.getMonth() + 1, day: d.getDate() };
}

// fresh is a new cue of a kind, about the first of what there is.
export function freshCue(kind: Kind, n: Names): Cue {
  switch (kind) {
    case 'time':
      return { times: [18 * 60] };
    case 'date':
      return { date: today(), times: [18 * 60] };
    case 'every':
      return { every: { each: 15 * minute } };
    case 'sun':
      return { sun: 'dusk' };
    case 'level':
      return { level: { on: named('measurement', n.measurements[0]?.name ?? ''), is: 'above', value: '20' } };
  }
  return { sudden: freshSudden(kind, n) };
}

function freshSudden(kind: Kind, n: Names): Sudden {
  const [thing, name] = split(n.controls[0]?.path ?? '');
  const [keyOf, key] = split(n.keys[0] ?? '');
  const measured = named('measurement', n.measurements[0]?.name ?? '');
  switch (kind) {
    case 'pressed':
      return { pressed: { on: named('device', keyOf), key } };
    case 'becomes':
      return {
        becomes: {
          on: named('device', thing),
          control: name,
          value: n.controls[0]?.face.choices.at(-1) ?? '0',
        },
      };
    case 'moves':
      return { moves: { on: measured, by: { number: '5' }, within: 10 * minute } };
    case 'silent':
      return { silent: measured, for: 10 * minute };
    case 'battery':
      return { battery: measured };
    case 'occasion':
      return { occasion: { on: named('occasion', n.occasions[0] ?? '') } };
    case 'station':
      return { station: { on: named('station', n.stations[0] ?? ''), ends: true } };
    case 'phrase':
      return { phrase: 'good night' };
    case 'message':
      return { message: { topic: 'club/lamp' } };
    case 'hook':
      return { hook: 'gate' };
    case 'calendar':
      return { calendar: { name: 'club' } };
    case 'mains':
      return { mains: true };
  }
  return { house: true };
}

// CueParts are what an errand begins at.
export function CueParts({
  cues,
  names,
  onChange,
}: {
  cues: Cue[];
  names: Names;
  onChange: (cues: Cue[]) => void;
}) {
  return (
    <Several
      all={cues}
      onChange={onChange}
      label={(place) => (place > 0 ? w.cueOf(place) : w.cue)}
      part={(c, of) => <CuePart cue={c} names={names} {...of} />}
      add={w.orWhen}
      fresh={() => freshCue('time', names)}
    />
  );
}

function CuePart({ cue: c, names, name, onChange, onRemove }: { cue: Cue; names: Names } & PartOf<Cue>) {
  const kind = kindOf(c);
  const level = c.level;
  return (
    <Row name={name} onRemove={onRemove}>
      <Pick
        label={name}
        value={kind}
        options={Object.entries(w.cues)}
        width={220}
        onChange={(v) => onChange(freshCue(v as Kind, names))}
      />
      {kind === 'time' && (
        <Text
          label={w.times}
          value={(c.times ?? []).map(clockText).join(', ')}
          onChange={(text) => {
            const times = text.split(/[,\s]+/).map(readTime);
            if (times.every((t) => t !== null)) onChange({ ...c, times: times.filter((t) => t !== null) });
          }}
        />
      )}
      {kind === 'date' && c.date && (
        <>
          <DateField value={c.date} onChange={(date) => onChange({ ...c, date })} />
          <Clock label={w.time} value={c.times?.[0] ?? 0} onChange={(t) => onChange({ ...c, times: [t] })} />
        </>
      )}
      {kind === 'every' && c.every && (
        <>
          <Span
            label={w.every}
            value={c.every.each}
            onChange={(each) => onChange({ ...c, every: { ...c.every, each } })}
          />
          <Pick
            label={w.allDay}
            value={c.every.from === undefined ? 'all' : 'some'}
            width={130}
            options={[
              ['all', w.wholeDay],
              ['some', w.fromTo],
            ]}
            onChange={(v) =>
              onChange({
                ...c,
                every: {
                  each: c.every?.each ?? 15 * minute,
                  ...(v === 'some' && { from: 8 * 60, to: 20 * 60 }),
                },
              })
            }
          />
          {c.every.from !== undefined && (
            <>
              <Clock
                label={w.from}
                value={c.every.from}
                onChange={(from) => onChange({ ...c, every: { each: 0, ...c.every, from } })}
              />
              <Clock
                label={w.to}
                value={c.every.to ?? 0}
                onChange={(to) => onChange({ ...c, every: { each: 0, ...c.every, to } })}
              />
            </>
          )}
        </>
      )}
      {kind === 'sun' && (
        <Pick
          label={w.sun}
          value={c.sun ?? ''}
          options={suns}
          width={180}
          onChange={(sun) => onChange({ ...c, sun })}
        />
      )}
      {level && (
        <>
          <GaugePick
            label={w.measurement}
            value={level.on.kind === 'measurement' ? level.on.id : `${level.on.was}/${level.control ?? ''}`}
            names={names}
            onChange={(on, control, unit) =>
              onChange({ ...c, level: { ...level, on, control, unit, which: undefined } })
            }
          />
          <Pick
            label={w.crosses}
            value={level.is}
            options={['above', 'below']}
            width={100}
            onChange={(is) => onChange({ ...c, level: { ...level, is } })}
          />
          <Text
            label={w.number}
            number
            width={90}
            value={level.value}
            onChange={(value) => onChange({ ...c, level: { ...level, value } })}
          />
          <Stays value={level.for} onChange={(f) => onChange({ ...c, level: { ...level, for: f } })} />
        </>
      )}
      {c.sudden && (
        <SuddenFields sudden={c.sudden} names={names} onChange={(sudden) => onChange({ ...c, sudden })} />
      )}
      {(kind === 'sun' || !planned(kind)) && (
        <Offset
          value={c.offset ?? 0}
          only={kind === 'sun' || kind === 'calendar' ? undefined : 'after'}
          onChange={(offset) => onChange({ ...c, offset: offset || undefined })}
        />
      )}
      {kind !== 'date' && <OnDays value={c.on} onChange={(on) => onChange({ ...c, on })} />}
      {planned(kind) && <Limits cue={c} onChange={onChange} />}
    </Row>
  );
}

function readTime(text: string): number | null {
  const m = /^(\d{1,2}):(\d\d)$/.exec(text);
  return m && Number(m[1]) < 24 && Number(m[2]) < 60 ? Number(m[1]) * 60 + Number(m[2]) : null;
}

// DateField is a day of the calendar.
export function DateField({
  value: d,
  onChange,
  label = w.date,
}: {
  value: { year: number; month: number; day: number };
  onChange: (d: { year: number; month: number; day: number }) => void;
  label?: string;
}) {
  const two = (n: number) => String(n).padStart(2, '0');
  return (
    <Text
      label={label}
      value={d.year ? `${d.year}-${two(d.month)}-${two(d.day)}` : `${two(d.month)}-${two(d.day)}`}
      onChange={(text) => {
        const m = /^(?:(\d{4})-)?(\d\d)-(\d\d)$/.exec(text.trim());
        if (m) onChange({ year: Number(m[1] ?? 0), month: Number(m[2]), day: Number(m[3]) });
      }}
    />
  );
}

// Limits are before and after which times a cue does not come, and by how much it gives or takes.
function Limits({ cue: c, onChange }: { cue: Cue; onChange: (c: Cue) => void }) {
  const limit = (before: boolean) => c.limits?.find((l) => !!l.before === before);
  const put = (before: boolean, at?: number) => {
    const others = (c.limits ?? []).filter((l) => !!l.before !== before);
    const limits = at === undefined ? others : [...others, { ...(before && { before }), at }];
    onChange({
      ...c,
      limits: limits.length ? limits : undefined,
      ...(!limits.length && { skip: undefined }),
    });
  };
  const notBefore = limit(true);
  const notAfter = limit(false);
  const more = [
    !notBefore && c.sun && ['before', w.notBefore],
    !notAfter && c.sun && ['after', w.notAfter],
    !c.scatter && ['scatter', w.scatter],
  ].filter((x): x is [string, string] => !!x);
  return (
    <>
      {notBefore && <Clock label={w.notBefore} value={notBefore.at} onChange={(at) => put(true, at)} />}
      {notAfter && <Clock label={w.notAfter} value={notAfter.at} onChange={(at) => put(false, at)} />}
      {c.limits?.length ? (
        <Pick
          label={w.beyond}
          value={c.skip ? 'skip' : 'move'}
          width={150}
          options={[
            ['move', w.moved],
            ['skip', w.skipped],
          ]}
          onChange={(v) => onChange({ ...c, skip: v === 'skip' || undefined })}
        />
      ) : null}
      {c.scatter ? (
        <Span label={w.scatter} value={c.scatter} onChange={(scatter) => onChange({ ...c, scatter })} />
      ) : null}
      {more.length > 0 && (
        <Pick
          label={w.more}
          value=""
          width={130}
          options={more}
          onChange={(v) => {
            if (v === 'scatter') onChange({ ...c, scatter: 20 * minute });
            else put(v === 'before', v === 'before' ? 17 * 60 : 22 * 60 + 30);
          }}
        />
      )}
    </>
  );
}

// Stays says for how long something has to be so.
export function Stays({
  value,
  onChange,
}: {
  value: number | undefined;
  onChange: (ns: number | undefined) => void;
}) {
  return (
    <>
      <Pick
        label={w.stays}
        value={value ? 'for' : 'no'}
        width={130}
        options={[
          ['no', w.atOnce],
          ['for', w.forTime],
        ]}
        onChange={(v) => onChange(v === 'for' ? 10 * minute : undefined)}
      />
      {value ? <Span label={w.howLong} value={value} onChange={onChange} /> : null}
    </>
  );
}

// GaugePick is a choice of a measurement, or of a control with numbers.
export function GaugePick({
  label,
  value,
  names,
  onChange,
  controls = true,
}: {
  label: string;
  value: string;
  names: Names;
  onChange: (on: ReturnType<typeof named>, control: string | undefined, unit: string | undefined) => void;
  controls?: boolean;
}) {
  const dials = controls
    ? names.controls.filter((c) => c.face.kind === 'dial' || c.face.kind === 'digits')
    : [];
  return (
    <Pick
      label={label}
      value={value}
      width={220}
      options={[...names.measurements.map((m) => m.name), ...dials.map((d) => d.path)]}
      onChange={(v) => {
        const m = names.measurements.find((x) => x.name === v);
        if (m) {
          onChange(named('measurement', v), undefined, m.unit || undefined);
          return;
        }
        const [thing, control] = split(v);
        onChange(named('device', thing), control, undefined);
      }}
    />
  );
}

// SuddenFields are the fields of something that happens.
export function SuddenFields({
  sudden: s,
  names,
  onChange,
}: {
  sudden: Sudden;
  names: Names;
  onChange: (s: Sudden) => void;
}) {
  if (s.pressed) {
    const p = s.pressed;
    return (
      <>
        <Pick
          label={w.key}
          value={`${p.on.was}/${p.key}`}
          options={names.keys}
          width={220}
          onChange={(v) => {
            const [thing, key] = split(v);
            onChange({ ...s, pressed: { ...p, on: named('device', thing), key } });
          }}
        />
        <Pick
          label={w.pressedHow}
          value={p.how ?? ''}
          width={110}
          options={[['', w.once], 'twice', 'thrice', 'held']}
          onChange={(how) => onChange({ ...s, pressed: { ...p, how: how || undefined } })}
        />
      </>
    );
  }
  if (s.becomes) {
    const b = s.becomes;
    return (
      <>
        <Pick
          label={w.control}
          value={`${b.on.was}/${b.control}`}
          options={names.controls.map((c) => c.path)}
          width={220}
          onChange={(v) => {
            const [thing, control] = split(v);
            const face = names.controls.find((c) => c.path === v)?.face;
            onChange({
              ...s,
              becomes: { ...b, on: named('device', thing), control, value: face?.choices.at(-1) ?? '0' },
            });
          }}
        />
        <Pick
          label={w.what}
          value={b.leaves ? 'leaves' : 'becomes'}
          options={['becomes', 'leaves']}
          width={110}
          onChange={(v) => onChange({ ...s, becomes: { ...b, leaves: v === 'leaves' || undefined } })}
        />
        <ValueField
          path={`${b.on.was}/${b.control}`}
          value={b.value}
          names={names}
          onChange={(value) => onChange({ ...s, becomes: { ...b, value } })}
        />
        <Pick
          label={w.by}
          value={b.by ?? ''}
          width={120}
          options={[['', w.anybody], 'handset', 'person', 'program', 'errand']}
          onChange={(by) => onChange({ ...s, becomes: { ...b, by: by || undefined } })}
        />
        <Stays value={s.for} onChange={(f) => onChange({ ...s, for: f })} />
      </>
    );
  }
  if (s.moves) {
    const m = s.moves;
    return (
      <>
        <GaugePick
          label={w.measurement}
          value={m.on.kind === 'measurement' ? m.on.id : `${m.on.was}/${m.control ?? ''}`}
          names={names}
          onChange={(on, control, unit) =>
            onChange({
              ...s,
              moves: { ...m, on, control, which: undefined, by: { number: m.by.number, unit } },
            })
          }
        />
        <Pick
          label={w.what}
          value={m.falls ? 'falls' : 'rises'}
          options={['rises', 'falls']}
          width={100}
          onChange={(v) => onChange({ ...s, moves: { ...m, falls: v === 'falls' || undefined } })}
        />
        <Text
          label={w.byHowMuch}
          number
          width={90}
          value={m.by.number}
          onChange={(number) => onChange({ ...s, moves: { ...m, by: { ...m.by, number } } })}
        />
        <Span
          label={w.within}
          value={m.within}
          onChange={(within) => onChange({ ...s, moves: { ...m, within } })}
        />
      </>
    );
  }
  if (s.silent || s.battery) {
    return (
      <>
        <GaugePick
          label={w.measurement}
          value={(s.silent ?? s.battery)?.id ?? ''}
          names={names}
          controls={false}
          onChange={(on) => onChange(s.silent ? { ...s, silent: on } : { ...s, battery: on })}
        />
        {s.silent && (
          <Span label={w.howLong} value={s.for ?? 0} onChange={(f) => onChange({ ...s, for: f })} />
        )}
      </>
    );
  }
  const occurs = s.occasion ?? s.station;
  if (occurs) {
    const o = occurs;
    const kind = s.occasion ? 'occasion' : 'station';
    const [begins, ends] = s.occasion ? (['starts', 'ends'] as const) : (['returns', 'leaves'] as const);
    return (
      <>
        <Pick
          label={s.occasion ? w.occasion : w.station}
          value={o.on.was}
          options={s.occasion ? names.occasions : names.stations}
          onChange={(v) => onChange({ ...s, [kind]: { ...o, on: named(kind, v) } })}
        />
        <Pick
          label={w.what}
          value={o.ends ? ends : begins}
          options={[begins, ends]}
          width={110}
          onChange={(v) => onChange({ ...s, [kind]: { ...o, ends: v === ends || undefined } })}
        />
      </>
    );
  }
  if (s.phrase !== undefined)
    return (
      <Text label={w.phrase} width={260} value={s.phrase} onChange={(phrase) => onChange({ ...s, phrase })} />
    );
  if (s.hook !== undefined)
    return <Text label={w.hook} value={s.hook} onChange={(hook) => onChange({ ...s, hook })} />;
  if (s.message) {
    const m = s.message;
    return (
      <>
        <Text
          label={w.topic}
          width={200}
          value={m.topic}
          onChange={(topic) => onChange({ ...s, message: { ...m, topic } })}
        />
        <Text
          label={w.pointer}
          value={m.pointer ?? ''}
          onChange={(v) => onChange({ ...s, message: { ...m, pointer: v || undefined } })}
        />
        <Text
          label={w.saysIs}
          value={m.is ?? ''}
          onChange={(v) => onChange({ ...s, message: { ...m, is: v || undefined } })}
        />
      </>
    );
  }
  if (s.calendar) {
    const c = s.calendar;
    return (
      <>
        <Text
          label={w.calendar}
          value={c.name}
          onChange={(v) => onChange({ ...s, calendar: { ...c, name: v } })}
        />
        <Pick
          label={w.what}
          value={c.ends ? 'ends' : 'starts'}
          options={['starts', 'ends']}
          width={100}
          onChange={(v) => onChange({ ...s, calendar: { ...c, ends: v === 'ends' || undefined } })}
        />
        <Text
          label={w.titled}
          width={180}
          value={c.titled ?? ''}
          onChange={(v) => onChange({ ...s, calendar: { ...c, titled: v || undefined } })}
        />
      </>
    );
  }
  return null;
}

// ValueField is a value of a control: one of its names, or a number.
export function ValueField({
  path,
  value,
  names,
  onChange,
  label = w.value,
}: {
  path: string;
  value: string;
  names: Names;
  onChange: (value: string) => void;
  label?: string;
}) {
  const face = names.controls.find((c) => c.path === path)?.face;
  const by = face ? [...face.choices, ...Object.keys(face.favourites ?? {})] : [];
  if (by.length > 0 && face?.kind !== 'dial' && face?.kind !== 'digits')
    return <Pick label={label} value={value} options={by} width={120} onChange={onChange} />;
  return (
    <Text
      label={face?.unit ? `${label} (${face.unit})` : label}
      width={100}
      value={value}
      onChange={onChange}
    />
  );
}
