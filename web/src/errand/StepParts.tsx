import { words } from '../app/words';
import { CondPart, freshCond } from './CondParts';
import { freshCue, SuddenFields, ValueField } from './CueParts';
import { Add, Moment, Nested, Pick, Row, Several, Span, Text, type PartOf } from './fields';
import { named, split, type Names } from './names';
import type { Step, Wanted } from './tree';

const w = words.builder;
const minute = 60e9;

type Kind = keyof typeof w.steps;

function kindOf(s: Step): Kind {
  if (s.set) return 'set';
  if (s.press) return 'press';
  if (s.wait)
    return s.wait.point ? 'waitPoint' : s.wait.until ? 'waitUntil' : s.wait.happens ? 'waitHappens' : 'wait';
  if (s.call) return 'run';
  if (s.if) return 'if';
  if (s.start) return 'start';
  if (s.end) return 'end';
  if (s.mark !== undefined) return 'mark';
  if (s.unmark !== undefined) return 'unmark';
  if (s.send) return 'send';
  return 'notify';
}

// freshStep is a new step of a kind, about the first of what there is.
export function freshStep(kind: Kind, n: Names): Step {
  const [keyOf, key] = split(n.keys[0] ?? '');
  switch (kind) {
    case 'set':
      return { set: { changes: [freshChange(n)] } };
    case 'press':
      return { press: { on: named('device', keyOf), key } };
    case 'wait':
      return { wait: { for: 10 * minute } };
    case 'waitPoint':
      return { wait: { for: 0, point: { clock: 22 * 60 } } };
    case 'waitUntil':
      return { wait: { for: 10 * minute, until: freshCond('is', n) } };
    case 'waitHappens':
      return { wait: { for: 10 * minute, happens: freshCue('pressed', n).sudden } };
    case 'run':
      return { call: named('sequence', n.sequences[0] ?? '') };
    case 'if':
      return { if: { cond: freshCond('is', n), do: [freshStep('set', n)] } };
    case 'start':
      return { start: { on: named('occasion', n.occasions[0] ?? '') } };
    case 'end':
      return { end: named('occasion', n.occasions[0] ?? '') };
    case 'mark':
      return { mark: 'guests-stay' };
    case 'unmark':
      return { unmark: 'guests-stay' };
    case 'send':
      return { send: { name: 'lamp' } };
  }
  return { notify: 'a text for people' };
}

function freshChange(n: Names): Wanted {
  const first = n.controls.find((c) => c.face.kind === 'power') ?? n.controls[0];
  const [thing, control] = split(first?.path ?? '');
  return { on: named('device', thing), control, value: first?.face.choices.at(-1) ?? '0' };
}

// StepParts are steps that are done in order.
export function StepParts({
  steps,
  names,
  onChange,
  label = w.step,
}: {
  steps: Step[];
  names: Names;
  onChange: (steps: Step[]) => void;
  label?: string;
}) {
  return (
    <Several
      all={steps}
      onChange={onChange}
      label={(place) => (place > 0 ? `${label} ${place}` : label)}
      part={(s, of) => <StepPart step={s} names={names} {...of} />}
      add={w.thenStep}
      fresh={() => freshStep('set', names)}
    />
  );
}

function StepPart({ step: s, names, name, onChange, onRemove }: { step: Step; names: Names } & PartOf<Step>) {
  return (
    <Row name={name} onRemove={onRemove}>
      <Pick
        label={name}
        value={kindOf(s)}
        options={Object.entries(w.steps)}
        width={220}
        onChange={(v) => onChange(freshStep(v as Kind, names))}
      />
      <Fields step={s} names={names} onChange={onChange} />
    </Row>
  );
}

function Fields({ step: s, names, onChange }: { step: Step; names: Names; onChange: (s: Step) => void }) {
  if (s.set) return <SetFields set={s.set} names={names} onChange={(set) => onChange({ set })} />;
  if (s.press) {
    const p = s.press;
    return (
      <>
        <Pick
          label={w.key}
          value={`${p.on.was}/${p.key}`}
          options={names.keys}
          width={220}
          onChange={(v) => {
            const [thing, key] = split(v);
            onChange({ press: { ...p, on: named('device', thing), key } });
          }}
        />
        <Pick
          label={w.pressedHow}
          value={p.held ? 'held' : (p.times ?? 1) > 1 ? 'times' : 'once'}
          width={120}
          options={[
            ['once', w.once],
            ['times', w.several],
            ['held', w.held],
          ]}
          onChange={(v) =>
            onChange({
              press: {
                on: p.on,
                key: p.key,
                ...(v === 'times' && { times: 2 }),
                ...(v === 'held' && { held: 2e9 }),
              },
            })
          }
        />
        {(p.times ?? 1) > 1 && (
          <Text
            label={w.timesN}
            number
            width={70}
            value={String(p.times)}
            onChange={(v) => /^\d+$/.test(v) && onChange({ press: { ...p, times: Number(v) } })}
          />
        )}
        {p.held ? (
          <Span label={w.howLong} value={p.held} onChange={(held) => onChange({ press: { ...p, held } })} />
        ) : null}
      </>
    );
  }
  if (s.wait) {
    const t = s.wait;
    if (t.point)
      return (
        <Moment label={w.until} value={t.point} onChange={(point) => onChange({ wait: { ...t, point } })} />
      );
    return (
      <>
        {t.until && (
          <Nested>
            <CondPart
              cond={t.until}
              names={names}
              onChange={(until) => onChange({ wait: { ...t, until } })}
            />
          </Nested>
        )}
        {t.happens && (
          <SuddenFields
            sudden={t.happens}
            names={names}
            onChange={(happens) => onChange({ wait: { ...t, happens } })}
          />
        )}
        <Span
          label={t.until || t.happens ? w.atMost : w.howLong}
          value={t.for}
          onChange={(f) => onChange({ wait: { ...t, for: f } })}
        />
      </>
    );
  }
  if (s.if) {
    const c = s.if;
    return (
      <Nested>
        <CondPart cond={c.cond} names={names} onChange={(cond) => onChange({ if: { ...c, cond } })} />
        <Nested label={w.thenDo}>
          <StepParts steps={c.do} names={names} onChange={(d) => onChange({ if: { ...c, do: d } })} />
        </Nested>
        {c.else?.length ? (
          <Nested label={w.elseDo}>
            <StepParts steps={c.else} names={names} onChange={(e) => onChange({ if: { ...c, else: e } })} />
            <Add onClick={() => onChange({ if: { ...c, else: undefined } })}>{w.noElse}</Add>
          </Nested>
        ) : (
          <Add onClick={() => onChange({ if: { ...c, else: [freshStep('set', names)] } })}>{w.addElse}</Add>
        )}
      </Nested>
    );
  }
  if (s.call)
    return (
      <Pick
        label={w.sequence}
        value={s.call.was}
        options={names.sequences}
        onChange={(v) => onChange({ call: named('sequence', v) })}
      />
    );
  if (s.start) {
    const o = s.start;
    return (
      <>
        <Pick
          label={w.occasion}
          value={o.on.was}
          options={names.occasions}
          onChange={(v) => onChange({ start: { ...o, on: named('occasion', v) } })}
        />
        <Pick
          label={w.over}
          value={o.over ? 'over' : 'no'}
          width={170}
          options={[
            ['no', w.notOver],
            ['over', w.overPeople],
          ]}
          onChange={(v) => onChange({ start: { ...o, over: v === 'over' || undefined } })}
        />
      </>
    );
  }
  if (s.end)
    return (
      <Pick
        label={w.occasion}
        value={s.end.was}
        options={names.occasions}
        onChange={(v) => onChange({ end: named('occasion', v) })}
      />
    );
  if (s.mark !== undefined)
    return <Text label={w.marker} value={s.mark} onChange={(mark) => onChange({ mark })} />;
  if (s.unmark !== undefined)
    return <Text label={w.marker} value={s.unmark} onChange={(unmark) => onChange({ unmark })} />;
  if (s.send) {
    const m = s.send;
    return (
      <>
        <Text label={w.sendName} value={m.name} onChange={(v) => onChange({ send: { ...m, name: v } })} />
        <Text
          label={w.sendText}
          value={m.text ?? ''}
          onChange={(v) => onChange({ send: { ...m, text: v || undefined } })}
        />
      </>
    );
  }
  return (
    <Text label={w.notice} width={300} value={s.notify ?? ''} onChange={(notify) => onChange({ notify })} />
  );
}

// SetFields are the controls that a step sets, and for how long.
function SetFields({
  set,
  names,
  onChange,
}: {
  set: NonNullable<Step['set']>;
  names: Names;
  onChange: (s: NonNullable<Step['set']>) => void;
}) {
  const put = (i: number, next: Wanted) =>
    onChange({ ...set, changes: set.changes.map((o, k) => (k === i ? next : o)) });
  const back = set.then ? 'then' : 'back';
  const hold = set.until ? 'until' : set.hold ? 'for' : 'good';
  return (
    <>
      {set.changes.map((c, i) => {
        const path = `${c.on.was}/${c.control}`;
        const step = /^(up|down) (.*)$/.exec(c.value);
        const face = names.controls.find((x) => x.path === path)?.face;
        return (
          <Nested key={i}>
            <Row
              name={w.change(i + 1)}
              onRemove={
                set.changes.length > 1
                  ? () => onChange({ ...set, changes: set.changes.filter((_, k) => k !== i) })
                  : undefined
              }
            >
              <Pick
                label={w.control}
                value={path}
                options={names.controls.filter((x) => !x.face.fixed).map((x) => x.path)}
                width={220}
                onChange={(v) => {
                  const [thing, control] = split(v);
                  const is = names.controls.find((x) => x.path === v)?.face;
                  put(i, {
                    on: named('device', thing),
                    control,
                    value: is?.choices.at(-1) ?? String(is?.least ?? 0),
                  });
                }}
              />
              {(face?.kind === 'dial' || step) && (
                <Pick
                  label={w.to}
                  value={step?.[1] ?? 'to'}
                  width={110}
                  options={[
                    ['to', w.toValue],
                    ['up', w.up],
                    ['down', w.down],
                  ]}
                  onChange={(v) =>
                    put(i, {
                      ...c,
                      value: v === 'to' ? String(face?.least ?? 0) : `${v} ${step?.[2] ?? '1'}`,
                    })
                  }
                />
              )}
              {step ? (
                <Text
                  label={w.byHowMuch}
                  number
                  width={90}
                  value={step[2] ?? ''}
                  onChange={(v) => put(i, { ...c, value: `${step[1]} ${v}` })}
                />
              ) : (
                <ValueField
                  path={path}
                  value={c.value}
                  names={names}
                  onChange={(value) => put(i, { ...c, value })}
                />
              )}
            </Row>
          </Nested>
        );
      })}
      <Nested>
        <Add
          onClick={() => onChange({ ...set, changes: [...set.changes, freshChange(names)], then: undefined })}
        >
          {w.andSet}
        </Add>
        <Row name={w.holdName}>
          <Pick
            label={w.hold}
            value={hold}
            width={150}
            options={[
              ['good', w.forGood],
              ['for', w.forTime],
              ['until', w.untilTime],
            ]}
            onChange={(v) =>
              onChange({
                changes: set.changes,
                ...(v === 'for' && { hold: 10 * minute, then: set.then }),
                ...(v === 'until' && { until: { sun: 'sunrise' }, then: set.then }),
              })
            }
          />
          {hold === 'for' && (
            <Span label={w.howLong} value={set.hold ?? 0} onChange={(h) => onChange({ ...set, hold: h })} />
          )}
          {set.until && (
            <Moment label={w.until} value={set.until} onChange={(until) => onChange({ ...set, until })} />
          )}
          {hold !== 'good' && set.changes.length === 1 && (
            <Pick
              label={w.afterwards}
              value={back}
              width={150}
              options={[
                ['back', w.goesBack],
                ['then', w.goesTo],
              ]}
              onChange={(v) => onChange({ ...set, then: v === 'then' ? 'off' : undefined })}
            />
          )}
          {set.then !== undefined && set.changes[0] && (
            <ValueField
              path={`${set.changes[0].on.was}/${set.changes[0].control}`}
              value={set.then}
              names={names}
              onChange={(then) => onChange({ ...set, then })}
            />
          )}
        </Row>
      </Nested>
    </>
  );
}
