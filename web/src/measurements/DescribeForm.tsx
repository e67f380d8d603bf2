import Box from '@mui/material/Box';
import { useState } from 'react';
import type { Gauge, MeasurementSpec } from '../api/client';
import { WrittenForm } from '../automate/Named';
import { words } from '../app/words';
import { Pick, Text } from '../errand/fields';
import { useDescribe, useRemoveMeasurement } from './queries';
import { sourceOf } from './text';

const w = words.measurements;

// DescribeForm says what a measurement is, and where its values come from.
export function DescribeForm({
  gauge,
  onDone,
  onGone,
}: {
  gauge?: Gauge;
  onDone: () => void;
  onGone?: () => void;
}) {
  const was = gauge?.spec ?? {};
  const [name, setName] = useState(gauge?.name ?? '');
  const [source, setSource] = useState<string>(gauge ? sourceOf(gauge) : 'push');
  const [f, setF] = useState({
    unit: was.unit ?? gauge?.unit ?? '',
    topic: was.topic ?? '',
    pointer: was.pointer ?? '',
    battery: was.battery ?? '',
    sheet: was.sheet ?? '',
    fields: Object.entries(was.fields ?? {})
      .map(([n, v]) => `${n}=${v}`)
      .join(', '),
    reads: was.reads ?? '',
    worked: was.worked ?? 'difference',
    of: (was.of ?? []).join(', '),
    value: was.value ?? '',
    scale: was.scale === undefined ? '' : String(was.scale),
    offset: was.offset ? String(was.offset) : '',
    least: was.least === undefined ? '' : String(was.least),
    most: was.most === undefined ? '' : String(was.most),
    silent: was.silent_ms ? String(was.silent_ms / 60_000) : '',
  });
  const describe = useDescribe();
  const remove = useRemoveMeasurement();
  const field = (key: keyof typeof f, label: string, width = 180, number = false) => (
    <Text
      key={key}
      label={label}
      value={f[key]}
      width={width}
      number={number}
      onChange={(v) => setF({ ...f, [key]: v })}
    />
  );
  const number = (text: string) => (text.trim() === '' ? undefined : Number(text));
  const bad = [f.scale, f.offset, f.least, f.most, f.silent].some((t) => Number.isNaN(number(t) ?? 0));
  const words_ = f.of
    .split(',')
    .map((t) => t.trim())
    .filter(Boolean);
  const spec = (): MeasurementSpec => ({
    unit: f.unit || undefined,
    ...(source === 'topic' && {
      topic: f.topic,
      pointer: f.pointer || undefined,
      battery: f.battery || undefined,
    }),
    ...(source === 'radio' && {
      sheet: f.sheet,
      reads: f.reads,
      fields: Object.fromEntries(
        f.fields
          .split(',')
          .map((t) => t.trim().split('='))
          .filter((p) => p.length === 2),
      ),
    }),
    ...(source === 'worked' && {
      worked: f.worked as MeasurementSpec['worked'],
      of: words_,
      value: f.worked === 'on-for' ? f.value : undefined,
    }),
    scale: number(f.scale),
    offset: number(f.offset),
    least: number(f.least),
    most: number(f.most),
    silent_ms: f.silent ? Math.round((number(f.silent) ?? 0) * 60_000) : undefined,
    kept_ms: was.kept_ms,
  });
  return (
    <WrittenForm
      was={gauge}
      ready={name.trim() !== '' && !bad}
      save={describe}
      remove={remove}
      removeSure={w.removeSure}
      onSave={() => describe.mutate({ name: name.trim(), spec: spec() }, { onSuccess: onDone })}
      onRemove={() => gauge && remove.mutate(gauge.name, { onSuccess: onGone })}
      onDone={onDone}
    >
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1.5, alignItems: 'flex-end' }}>
        {!gauge && <Text label={w.name} value={name} width={260} onChange={setName} />}
        {field('unit', w.unit, 80)}
        <Pick
          label={w.from}
          value={source}
          width={270}
          options={Object.entries(w.sources)}
          onChange={setSource}
        />
        {source === 'topic' && [
          field('topic', w.topic, 240),
          field('pointer', w.pointer, 260),
          field('battery', w.battery),
        ]}
        {source === 'radio' && [
          field('sheet', w.sheet),
          field('fields', w.fields, 260),
          field('reads', w.reads, 250),
        ]}
        {source === 'worked' && (
          <>
            <Pick
              label={w.worked}
              value={f.worked}
              width={140}
              options={['difference', 'mean', 'dew-point', 'on-for']}
              onChange={(v) => setF({ ...f, worked: v as typeof f.worked })}
            />
            {field('of', w.of, 320)}
            {f.worked === 'on-for' && field('value', w.value, 100)}
          </>
        )}
        {field('scale', w.scale, 90, true)}
        {field('offset', w.offset, 90, true)}
        {field('least', w.leastCan, 130, true)}
        {field('most', w.mostCan, 130, true)}
        {field('silent', w.silentAfter, 170, true)}
      </Box>
    </WrittenForm>
  );
}
