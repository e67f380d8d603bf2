import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { Fragment, useState, type ReactNode } from 'react';
import { words } from '../app/words';
import { clockText, dur, pointText, readClock, readDur, weekdays, type Days, type Point } from './tree';

const w = words.builder;

// Pick is a menu of a few words. An option is a value, or a value and how it reads.
export function Pick({
  label,
  value,
  options,
  onChange,
  width = 190,
}: {
  label: string;
  value: string;
  options: (string | [string, string])[];
  onChange: (value: string) => void;
  width?: number;
}) {
  const all = options.map((o): [string, string] => (typeof o === 'string' ? [o, o] : o));
  if (value !== '' && !all.some(([v]) => v === value)) all.unshift([value, value]);
  return (
    <TextField
      select
      label={label}
      value={value}
      sx={{ width, maxWidth: '100%' }}
      slotProps={{ select: { native: true }, inputLabel: { shrink: true } }}
      onChange={(e) => onChange(e.target.value)}
    >
      {value === '' && <option value="" aria-label={w.choose} />}
      {all.map(([v, name]) => (
        <option key={v} value={v}>
          {name}
        </option>
      ))}
    </TextField>
  );
}

// Text is a field for a word or a number.
export function Text({
  label,
  value,
  onChange,
  width = 140,
  number,
}: {
  label: string;
  value: string;
  onChange: (value: string) => void;
  width?: number;
  number?: boolean;
}) {
  return (
    <TextField
      label={label}
      value={value}
      sx={{ width, maxWidth: '100%' }}
      slotProps={{
        inputLabel: { shrink: true },
        htmlInput: { maxLength: 500, inputMode: number ? 'decimal' : 'text' },
      }}
      onChange={(e) => onChange(e.target.value)}
    />
  );
}

// Read is a field for something that is read, such as a time: while it cannot be, it says how it is written.
function Read<T>({
  label,
  value,
  write,
  read,
  how,
  onChange,
  width = 120,
}: {
  label: string;
  value: T;
  write: (value: T) => string;
  read: (text: string) => T | null;
  how: string;
  onChange: (value: T) => void;
  width?: number;
}) {
  const [text, setText] = useState<string | null>(null); // while it is being written
  const shown = text ?? write(value);
  const bad = read(shown) === null;
  return (
    <TextField
      label={label}
      value={shown}
      error={bad}
      helperText={bad ? how : undefined}
      sx={{ width, maxWidth: '100%' }}
      slotProps={{ inputLabel: { shrink: true }, htmlInput: { maxLength: 40 } }}
      onChange={(e) => {
        setText(e.target.value);
        const got = read(e.target.value);
        if (got !== null) onChange(got);
      }}
      onBlur={() => !bad && setText(null)}
    />
  );
}

// Span is a field for how long something takes.
export function Span({
  label,
  value,
  onChange,
}: {
  label: string;
  value: number;
  onChange: (ns: number) => void;
}) {
  return <Read label={label} value={value} write={dur} read={readDur} how={w.span} onChange={onChange} />;
}

// Clock is a field for a time of day.
export function Clock({
  label,
  value,
  onChange,
}: {
  label: string;
  value: number;
  onChange: (minutes: number) => void;
}) {
  return (
    <Read
      label={label}
      value={value}
      write={clockText}
      read={readClock}
      how={w.clock}
      onChange={onChange}
      width={90}
    />
  );
}

// suns are what the sun does.
export const suns = [
  'sunrise',
  'sunset',
  'dawn',
  'dusk',
  'nautical dawn',
  'nautical dusk',
  'astronomical dawn',
  'astronomical dusk',
  'noon',
];

// Moment is a field for a moment of a day: a time, or something that the sun does, and how far from it.
export function Moment({
  label,
  value: p,
  onChange,
}: {
  label: string;
  value: Point;
  onChange: (p: Point) => void;
}) {
  return (
    <>
      <Pick
        label={label}
        value={p.sun ?? 'time'}
        options={[['time', w.atTime], ...suns]}
        onChange={(v) =>
          onChange(
            v === 'time' ? { ...p, sun: undefined, clock: p.clock ?? 0 } : { ...p, sun: v, clock: undefined },
          )
        }
        width={170}
      />
      {!p.sun && (
        <Clock label={w.time} value={p.clock ?? 0} onChange={(clock) => onChange({ ...p, clock })} />
      )}
      <Offset value={p.offset ?? 0} onChange={(offset) => onChange({ ...p, offset: offset || undefined })} />
      <Hidden>{pointText(p)}</Hidden>
    </>
  );
}

// Hidden is text for those who do not see the page.
function Hidden({ children }: { children: ReactNode }) {
  return (
    <Box
      component="span"
      sx={{ position: 'absolute', width: 1, height: 1, overflow: 'hidden', clipPath: 'inset(50%)' }}
    >
      {children}
    </Box>
  );
}

// Offset is how long before or after a moment.
export function Offset({
  value,
  onChange,
  only,
}: {
  value: number;
  onChange: (ns: number) => void;
  only?: 'after';
}) {
  const way = value < 0 ? 'before' : value > 0 ? 'after' : 'just';
  const options: [string, string][] = [
    ['just', w.just],
    ['after', w.after],
  ];
  if (only !== 'after') options.push(['before', w.before]);
  const size = Math.abs(value) || 10 * 60e9;
  return (
    <>
      <Pick
        label={w.offset}
        value={way}
        options={options}
        width={110}
        onChange={(v) => onChange(v === 'just' ? 0 : v === 'after' ? size : -size)}
      />
      {way !== 'just' && (
        <Span
          label={w.howLong}
          value={Math.abs(value)}
          onChange={(ns) => onChange(way === 'before' ? -ns : ns)}
        />
      )}
    </>
  );
}

// OnDays is a choice of days of the week.
export function OnDays({
  value,
  onChange,
}: {
  value: Days | undefined;
  onChange: (d: Days | undefined) => void;
}) {
  const nth = value?.nth ?? 0;
  const of = value?.of ?? [];
  const kind =
    of.length === 0
      ? 'every'
      : nth
        ? `nth ${nth}`
        : same(of, [1, 2, 3, 4, 5])
          ? 'weekdays'
          : same(of, [6, 0])
            ? 'weekends'
            : 'some';
  const first = of[0] ?? 1;
  return (
    <>
      <Pick
        label={w.days}
        value={kind}
        width={150}
        options={[
          ['every', w.everyDay],
          ['weekdays', w.weekdays],
          ['weekends', w.weekends],
          ['some', w.someDays],
          ['nth 1', w.nth[0] ?? ''],
          ['nth 2', w.nth[1] ?? ''],
          ['nth 3', w.nth[2] ?? ''],
          ['nth 4', w.nth[3] ?? ''],
          ['nth -1', w.nth[4] ?? ''],
        ]}
        onChange={(v) => {
          if (v === 'every') onChange(undefined);
          else if (v === 'weekdays') onChange({ of: [1, 2, 3, 4, 5] });
          else if (v === 'weekends') onChange({ of: [6, 0] });
          else if (v === 'some') onChange({ of: of.length && of.length < 5 ? of : [1] });
          else onChange({ of: [first], nth: Number(v.slice(4)) });
        }}
      />
      {nth !== 0 && (
        <Pick
          label={w.day}
          value={String(first)}
          width={100}
          options={weekdays.map((d, i): [string, string] => [String(i), w.dayNames[i] ?? d])}
          onChange={(v) => onChange({ of: [Number(v)], nth })}
        />
      )}
      {kind === 'some' && (
        <Box role="group" aria-label={w.days} sx={{ display: 'flex', flexWrap: 'wrap', gap: 0.5 }}>
          {[1, 2, 3, 4, 5, 6, 0].map((d) => (
            <Button
              key={d}
              size="small"
              variant={of.includes(d) ? 'contained' : 'outlined'}
              aria-pressed={of.includes(d)}
              sx={{ minWidth: 48 }}
              onClick={() => {
                const next = of.includes(d) ? of.filter((x) => x !== d) : [...of, d];
                if (next.length > 0) onChange({ of: next });
              }}
            >
              {w.dayNames[d]?.slice(0, 3)}
            </Button>
          ))}
        </Box>
      )}
    </>
  );
}

const same = (a: number[], b: number[]) => a.length === b.length && a.every((x, i) => x === b[i]);

// PartOf is what a part of several is told: its name, and what becomes of it.
export type PartOf<T> = { name: string; onChange: (next: T) => void; onRemove?: () => void };

// Several are parts of one kind, of which there is at least one.
export function Several<T>({
  all,
  onChange,
  label,
  part,
  add,
  fresh,
}: {
  all: T[];
  onChange: (all: T[]) => void;
  label: (place: number) => string; // of each, from 1; 0 is the only one
  part: (one: T, of: PartOf<T>) => ReactNode;
  add: string;
  fresh: () => T;
}) {
  const several = all.length > 1;
  return (
    <>
      {all.map((one, i) => (
        <Fragment key={i}>
          {part(one, {
            name: label(several ? i + 1 : 0),
            onChange: (next) => onChange(all.map((o, k) => (k === i ? next : o))),
            onRemove: several ? () => onChange(all.filter((_, k) => k !== i)) : undefined,
          })}
        </Fragment>
      ))}
      <Add onClick={() => onChange([...all, fresh()])}>{add}</Add>
    </>
  );
}

// Row is one part: its fields side by side, and how it is taken away.
export function Row({
  children,
  name,
  onRemove,
}: {
  children: ReactNode;
  name: string;
  onRemove?: () => void;
}) {
  return (
    <Box
      role="group"
      aria-label={name}
      sx={{ display: 'flex', flexWrap: 'wrap', alignItems: 'flex-end', columnGap: 1.5, rowGap: 1.25, py: 1 }}
    >
      {children}
      {onRemove && (
        <Button size="small" aria-label={w.removePart(name)} sx={{ ml: 'auto' }} onClick={onRemove}>
          {w.remove}
        </Button>
      )}
    </Box>
  );
}

// Nested is parts that belong to another.
export function Nested({ children, label }: { children: ReactNode; label?: string }) {
  return (
    <Box
      role="group"
      aria-label={label}
      sx={{ borderLeft: 3, borderColor: 'divider', pl: 1.5, flexBasis: '100%', minWidth: 0 }}
    >
      {label && <Box sx={{ color: 'text.secondary', fontSize: 14 }}>{label}</Box>}
      {children}
    </Box>
  );
}

// Add adds a part.
export function Add({ children, onClick }: { children: ReactNode; onClick: () => void }) {
  return (
    <Button size="small" onClick={onClick} sx={{ pl: 0 }}>
      {children}
    </Button>
  );
}
