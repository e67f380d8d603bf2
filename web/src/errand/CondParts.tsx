import { words } from '../app/words';
import { DateField, GaugePick, Stays, ValueField } from './CueParts';
import { Add, Moment, Nested, OnDays, Pick, Row, Span, Text } from './fields';
import { named, split, type Names } from './names';
import type { Cond, Past } from './tree';

const w = words.builder;
const minute = 60e9;

type Kind = keyof typeof w.conds;

function kindOf(c: Cond): Kind {
  if (c.all?.length) return 'all';
  if (c.any?.length) return 'any';
  if (c.test) return c.test.is === 'above' || c.test.is === 'below' ? 'gauge' : 'is';
  if (c.between) return 'between';
  if (c.on) return 'days';
  if (c.span) return 'dates';
  if (c.sky) return 'sun';
  if (c.past) return c.past.what === 'pressed' ? 'pressed' : 'changed';
  if (c.in) return 'occasion';
  if (c.ran) return 'ran';
  return 'marker';
}

// freshCond is a new condition of a kind, about the first of what there is.
export function freshCond(kind: Kind, n: Names): Cond {
  const [thing, control] = split(n.controls[0]?.path ?? '');
  const [keyOf, key] = split(n.keys[0] ?? '');
  switch (kind) {
    case 'all':
      return { all: [freshCond('is', n), freshCond('sun', n)] };
    case 'any':
      return { any: [freshCond('is', n), freshCond('sun', n)] };
    case 'is':
      return {
        test: {
          on: named('device', thing),
          control,
          is: 'is',
          value: n.controls[0]?.face.choices.at(-1) ?? '0',
        },
      };
    case 'gauge':
      return {
        test: {
          on: named('measurement', n.measurements[0]?.name ?? ''),
          is: 'above',
          value: '20',
          unit: n.measurements[0]?.unit || undefined,
        },
      };
    case 'between':
      return { between: { from: { clock: 23 * 60 }, to: { clock: 6 * 60 } } };
    case 'days':
      return { on: { of: [6, 0] } };
    case 'dates':
      return { span: { from: { year: 0, month: 12, day: 1 }, to: { year: 0, month: 1, day: 6 } } };
    case 'sun':
      return { sky: { is: 'down' } };
    case 'changed':
      return { past: { on: named('device', thing), name: control, what: 'changed', within: 120 * minute } };
    case 'pressed':
      return { past: { on: named('device', keyOf), name: key, what: 'pressed', within: 5 * minute } };
    case 'occasion':
      return { in: named('occasion', n.occasions[0] ?? '') };
    case 'ran':
      return { ran: { errand: named('errand', n.errands[0] ?? ''), within: 60 * minute } };
  }
  return { marker: 'guests-stay' };
}

// CondPart is a condition, with those in it.
export function CondPart({
  cond,
  names,
  level,
  name = w.cond,
  onChange,
  onRemove,
}: {
  cond: Cond;
  names: Names;
  level?: boolean; // of an errand with while: a number may end elsewhere than it begins
  name?: string;
  onChange: (c: Cond) => void;
  onRemove?: () => void;
}) {
  const not = !!cond.not;
  const c = cond.not ?? cond;
  const put = (next: Cond) => onChange(not ? { not: next } : next);
  const kind = kindOf(c);
  const inner = c.all ?? c.any;
  return (
    <Row name={name} onRemove={onRemove}>
      <Pick
        label={w.isOrNot}
        value={not ? 'not' : 'so'}
        width={80}
        options={[
          ['so', w.so],
          ['not', w.not],
        ]}
        onChange={(v) => onChange(v === 'not' ? { not: c } : c)}
      />
      <Pick
        label={name}
        value={kind}
        options={Object.entries(w.conds)}
        width={220}
        onChange={(v) => {
          const next = v as Kind;
          if (next === 'all' || next === 'any') put({ [next]: inner ?? [c, freshCond('sun', names)] });
          else put(freshCond(next, names));
        }}
      />
      {inner && (kind === 'all' || kind === 'any') && (
        <Nested label={kind === 'all' ? w.allOf : w.anyOf}>
          {inner.map((one, i) => (
            <CondPart
              key={i}
              cond={one}
              names={names}
              level={level}
              name={w.condOf(i + 1)}
              onChange={(next) => put({ [kind]: inner.map((o, k) => (k === i ? next : o)) })}
              onRemove={() => {
                const rest = inner.filter((_, k) => k !== i);
                put(rest.length === 1 && rest[0] ? rest[0] : { [kind]: rest });
              }}
            />
          ))}
          <Add onClick={() => put({ [kind]: [...inner, freshCond('is', names)] })}>{w.addCond}</Add>
        </Nested>
      )}
      <Fields cond={c} names={names} level={level} onChange={put} />
    </Row>
  );
}

function Fields({
  cond: c,
  names,
  level,
  onChange,
}: {
  cond: Cond;
  names: Names;
  level?: boolean;
  onChange: (c: Cond) => void;
}) {
  if (c.test && (c.test.is === 'is' || c.test.is === 'may be')) {
    const t = c.test;
    const path = t.on.kind === 'measurement' ? t.on.id : `${t.on.was}/${t.control ?? ''}`;
    return (
      <>
        <Pick
          label={w.control}
          value={path}
          options={names.controls.map((x) => x.path)}
          width={220}
          onChange={(v) => {
            const [thing, control] = split(v);
            const face = names.controls.find((x) => x.path === v)?.face;
            onChange({
              test: {
                ...t,
                on: named('device', thing),
                control,
                which: undefined,
                value: face?.choices.at(-1) ?? '0',
              },
            });
          }}
        />
        <Pick
          label={w.what}
          value={t.is}
          options={['is', 'may be']}
          width={100}
          onChange={(is) => onChange({ test: { ...t, is } })}
        />
        <ValueField
          path={path}
          value={t.value}
          names={names}
          onChange={(value) => onChange({ test: { ...t, value } })}
        />
        <Stays value={t.for} onChange={(f) => onChange({ test: { ...t, for: f } })} />
      </>
    );
  }
  if (c.test) {
    const t = c.test;
    return (
      <>
        <GaugePick
          label={w.measurement}
          value={t.on.kind === 'measurement' ? t.on.id : `${t.on.was}/${t.control ?? ''}`}
          names={names}
          onChange={(on, control, unit) => onChange({ test: { ...t, on, control, unit, which: undefined } })}
        />
        <Pick
          label={w.what}
          value={t.is}
          options={['above', 'below']}
          width={100}
          onChange={(is) => onChange({ test: { ...t, is } })}
        />
        <Text
          label={t.unit ? `${w.number} (${t.unit})` : w.number}
          number
          width={100}
          value={t.value}
          onChange={(value) => onChange({ test: { ...t, value } })}
        />
        {level && (
          <Text
            label={w.until}
            number
            width={100}
            value={t.until?.number ?? ''}
            onChange={(number) =>
              onChange({ test: { ...t, until: number ? { number, unit: t.unit } : undefined } })
            }
          />
        )}
        <Stays value={t.for} onChange={(f) => onChange({ test: { ...t, for: f } })} />
      </>
    );
  }
  if (c.between) {
    const b = c.between;
    return (
      <>
        <Moment label={w.from} value={b.from} onChange={(from) => onChange({ between: { ...b, from } })} />
        <Moment label={w.to} value={b.to} onChange={(to) => onChange({ between: { ...b, to } })} />
        <OnDays value={b.on} onChange={(on) => onChange({ between: { ...b, on } })} />
      </>
    );
  }
  if (c.on) return <OnDays value={c.on} onChange={(on) => onChange({ on: on ?? { of: [1, 2, 3, 4, 5] } })} />;
  if (c.span) {
    const s = c.span;
    return (
      <>
        <DateField label={w.from} value={s.from} onChange={(from) => onChange({ span: { ...s, from } })} />
        <DateField label={w.to} value={s.to} onChange={(to) => onChange({ span: { ...s, to } })} />
      </>
    );
  }
  if (c.sky) {
    const s = c.sky;
    return (
      <>
        <Pick
          label={w.sunIs}
          value={s.is}
          options={['up', 'down', 'above', 'below']}
          width={100}
          onChange={(is) =>
            onChange({ sky: { is, ...((is === 'above' || is === 'below') && { angle: s.angle ?? '-6' }) } })
          }
        />
        {s.angle !== undefined && (
          <Text
            label={w.degrees}
            number
            width={90}
            value={s.angle}
            onChange={(angle) => onChange({ sky: { ...s, angle } })}
          />
        )}
      </>
    );
  }
  if (c.past) return <PastFields past={c.past} names={names} onChange={(past) => onChange({ past })} />;
  if (c.in)
    return (
      <Pick
        label={w.occasion}
        value={c.in.was}
        options={names.occasions}
        onChange={(v) => onChange({ in: named('occasion', v) })}
      />
    );
  if (c.ran) {
    const r = c.ran;
    return (
      <>
        <Pick
          label={w.errand}
          value={r.errand.was}
          options={names.errands}
          onChange={(v) => onChange({ ran: { ...r, errand: named('errand', v) } })}
        />
        <Span label={w.within} value={r.within} onChange={(within) => onChange({ ran: { ...r, within } })} />
      </>
    );
  }
  if (c.marker !== undefined)
    return <Text label={w.marker} value={c.marker} onChange={(marker) => onChange({ marker })} />;
  return null;
}

function PastFields({ past: p, names, onChange }: { past: Past; names: Names; onChange: (p: Past) => void }) {
  const pressed = p.what === 'pressed';
  const path = p.on.kind === 'measurement' ? p.on.id : `${p.on.was}/${p.name ?? ''}`;
  return (
    <>
      <Pick
        label={pressed ? w.key : w.control}
        value={path}
        width={220}
        options={
          pressed
            ? names.keys
            : [...names.controls.map((x) => x.path), ...names.measurements.map((m) => m.name)]
        }
        onChange={(v) => {
          if (!pressed && !names.controls.some((x) => x.path === v)) {
            onChange({ ...p, on: named('measurement', v), name: undefined, which: undefined });
            return;
          }
          const [thing, name] = split(v);
          onChange({ ...p, on: named('device', thing), name, which: undefined });
        }}
      />
      {!pressed && (
        <Pick
          label={w.what}
          value={p.what}
          options={['changed', 'unchanged']}
          width={120}
          onChange={(what) => onChange({ ...p, what, by: what === 'changed' ? p.by : undefined })}
        />
      )}
      {p.what === 'changed' && (
        <Pick
          label={w.by}
          value={p.by ?? ''}
          width={120}
          options={[['', w.anybody], 'handset', 'person', 'program', 'errand']}
          onChange={(by) => onChange({ ...p, by: by || undefined })}
        />
      )}
      <Span
        label={p.what === 'unchanged' ? w.howLong : w.within}
        value={p.within}
        onChange={(within) => onChange({ ...p, within })}
      />
    </>
  );
}
