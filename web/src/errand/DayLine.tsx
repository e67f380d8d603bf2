import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Slider from '@mui/material/Slider';
import { useState } from 'react';
import type { HouseDay } from '../api/client';
import { dueLine } from '../automate/lines';
import { words } from '../app/words';
import { Note } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { useWidth } from '../shared/useWidth';
import { clockOf, labels, minuteOf, shades, signs, type Sign } from './day';
import { useDay, useThen } from './queries';
import { clockText } from './tree';

const height = 132;
const base = height - 2;

// DayLine is a day of the house on its baseline: what came in grey, what is due in black, what was asked or not known
// dashed in plum; night and twilight as shades. One moment of it can be drawn along: what was believed then.
export function DayLine() {
  const [date, setDate] = useState('');
  const [moment, setMoment] = useState<number | null>(null); // minute of the day
  const day = useDay(date);
  const d = day.data;
  const show = (next: string) => {
    setDate(next);
    setMoment(null);
  };
  if (day.error) return <Note alert>{day.error.message}</Note>;
  if (!d) return <Box sx={{ height: height + 120 }} />;
  const now = d.now >= d.from && d.now < d.to ? minuteOf(d.now) : null;
  return (
    <Box component="section" aria-label={words.day.title} sx={{ mt: 2 }}>
      <Box sx={{ display: 'flex', alignItems: 'center', gap: 1, flexWrap: 'wrap', mb: 0.5 }}>
        <Button size="small" aria-label={words.day.before} onClick={() => show(shift(d.date, -1))}>
          <Arrow way={-1} />
        </Button>
        <Box component="h2" sx={{ fontSize: 16, fontWeight: 600, m: 0 }}>
          {dueLine(d.from).slice(0, 14)}
        </Box>
        <Button size="small" aria-label={words.day.after} onClick={() => show(shift(d.date, 1))}>
          <Arrow way={1} />
        </Button>
        {date !== '' && (
          <Button size="small" onClick={() => show('')}>
            {words.day.today}
          </Button>
        )}
      </Box>
      <Picture day={d} now={now} moment={moment} />
      <Slider
        aria-label={words.day.scrub}
        min={0}
        max={1439}
        step={1}
        value={moment ?? now ?? 1439}
        getAriaValueText={(v) => clockText(v)}
        sx={{ mt: -1, mb: 0, '& .MuiSlider-rail, & .MuiSlider-track': { opacity: 0 } }}
        onChange={(_, v) => setMoment(v)}
      />
      {moment === null ? (
        <Box sx={{ color: 'text.secondary', fontSize: 14 }}>{words.day.scrubHow}</Box>
      ) : (
        <Moment at={timeAt(d, moment)} minute={moment} onEnd={() => setMoment(null)} />
      )}
      <List day={d} />
    </Box>
  );
}

// Arrow points to an earlier or later day.
function Arrow({ way }: { way: 1 | -1 }) {
  return (
    <svg width={10} height={16} aria-hidden>
      <path d={way < 0 ? 'M8 2 2 8l6 6' : 'M2 2l6 6-6 6'} fill="none" stroke="currentColor" strokeWidth={2} />
    </svg>
  );
}

// shift is a date some days later.
function shift(date: string, by: number): string {
  return new Date(new Date(`${date}T00:00:00Z`).getTime() + by * 86_400_000).toISOString().slice(0, 10);
}

// timeAt is the moment of a minute of a day.
function timeAt(d: HouseDay, minute: number): string {
  const from = new Date(d.from).getTime();
  const whole = new Date(d.to).getTime() - from;
  return new Date(from + (whole * minute) / 1440).toISOString();
}

function Picture({ day: d, now, moment }: { day: HouseDay; now: number | null; moment: number | null }) {
  const [box, width] = useWidth<HTMLDivElement>(1000);
  const x = (minute: number) => (width * minute) / 1440;
  const all = signs(d);
  const named = all.filter(
    (s, i) =>
      s.kind !== 'skipped' &&
      all.findIndex((o) => o.name === s.name && Math.abs(o.minute - s.minute) < 60) === i,
  );
  const names = labels(
    named.map((s) => ({ x: x(s.minute), text: s.name })),
    width,
    7.2,
    3,
  );
  const sunText = d.sun.filter((s) => s.event === 'sunrise' || s.event === 'sunset');
  return (
    <Box ref={box} sx={{ width: '100%' }}>
      <Box
        component="svg"
        width={width}
        height={height + 20}
        role="img"
        aria-label={words.day.described(d.date, d.came.length, d.next.length)}
        sx={{ display: 'block', color: 'text.primary', fontSize: 13, overflow: 'visible' }}
      >
        {shades(d).map((s) => (
          <rect
            key={s.from}
            x={x(s.from)}
            y={0}
            width={x(s.to) - x(s.from)}
            height={base}
            fill="var(--mui-palette-line)"
            opacity={s.night ? 0.55 : 0.28}
          />
        ))}
        {d.occasions.map((o) => {
          const from = o.from < d.from ? 0 : minuteOf(o.from);
          const to = !o.to ? (now ?? 1440) : o.to >= d.to ? 1440 : minuteOf(o.to);
          return (
            <g key={o.name + o.from}>
              <rect
                x={x(from)}
                y={base - 5}
                width={Math.max(x(to) - x(from), 2)}
                height={5}
                fill="var(--mui-palette-received)"
              >
                <title>{o.name}</title>
              </rect>
            </g>
          );
        })}
        {sunText.map((s) => (
          <text
            key={s.event}
            x={Math.min(x(minuteOf(s.at)) + 4, width - 100)}
            y={16}
            fill="currentColor"
            opacity={0.75}
          >
            {s.event} {clockOf(s.at)}
          </text>
        ))}
        {all.map((s, i) => (
          <Mark key={i} sign={s} x={x} now={now} />
        ))}
        {names.map((n) => (
          <text key={n.x + n.text} x={n.x} y={44 + n.row * 17} fill="currentColor" opacity={0.85}>
            {n.text}
          </text>
        ))}
        {now !== null && (
          <g fill="currentColor">
            <rect x={x(now) - 1} y={0} width={2} height={base} />
            <text x={Math.min(x(now) + 6, width - 44)} y={30} fontWeight={600}>
              {clockText(Math.floor(now))}
            </text>
          </g>
        )}
        {moment !== null && (
          <rect x={x(moment) - 1} y={0} width={2} height={base} fill="var(--mui-palette-belief)" />
        )}
        <rect x={0} y={base} width={width} height={2} fill="currentColor" />
        {[0, 3, 6, 9, 12, 15, 18, 21, 24].map((h) => (
          <text
            key={h}
            x={x(h * 60)}
            y={height + 16}
            fill="currentColor"
            opacity={0.75}
            textAnchor={h === 0 ? 'start' : h === 24 ? 'end' : 'middle'}
          >
            {h}
          </text>
        ))}
      </Box>
    </Box>
  );
}

function Mark({ sign: s, x, now }: { sign: Sign; x: (minute: number) => number; now: number | null }) {
  const past = now === null || s.minute <= now;
  const title = <title>{`${clockText(Math.floor(s.minute))} ${s.name}`}</title>;
  const at = x(s.minute);
  if (s.kind === 'asked')
    return (
      <g>
        {title}
        <rect
          x={at - 4}
          y={base - 56}
          width={8}
          height={56}
          fill="none"
          stroke="var(--mui-palette-belief)"
          strokeWidth={2}
          strokeDasharray="4 3"
        />
      </g>
    );
  const tall = s.kind === 'skipped' ? 14 : s.kind === 'due' ? 64 : 56;
  const colour = s.kind === 'failed' ? 'var(--mui-palette-transmitted)' : 'currentColor';
  return (
    <g fill={colour} opacity={s.kind === 'due' || !past ? 1 : 0.7}>
      {title}
      <rect x={at - 1.5} y={base - tall} width={3} height={tall} />
      {s.until !== undefined && (
        <rect x={at} y={base - 18} width={Math.max(x(s.until) - at, 2)} height={18} />
      )}
    </g>
  );
}

// Moment is the house at a moment of the last days.
function Moment({ at, minute, onEnd }: { at: string; minute: number; onEnd: () => void }) {
  const then = useThen(at);
  const t = then.data;
  return (
    <Box role="region" aria-label={words.day.house(clockText(minute))} sx={{ pt: 1 }}>
      <Box sx={{ display: 'flex', gap: 2, alignItems: 'center' }}>
        <strong>{words.day.house(clockText(minute))}</strong>
        <Button size="small" onClick={onEnd}>
          {words.day.scrubEnd}
        </Button>
      </Box>
      <Failed of={[then]} />
      {t && t.devices.length + t.measurements.length === 0 && <Note>{words.day.nothingThen}</Note>}
      {t && t.occasions.length > 0 && <Box sx={{ pb: 0.5 }}>{words.day.force(t.occasions)}</Box>}
      {t && (
        <Box
          component="dl"
          sx={{
            m: 0,
            display: 'grid',
            gridTemplateColumns: 'repeat(auto-fill, minmax(250px, 1fr))',
            columnGap: 3,
            rowGap: 0.5,
          }}
        >
          {t.devices.map((d) => (
            <Box key={d.device}>
              <Box component="dt" sx={{ fontWeight: 600 }}>
                {d.name}
              </Box>
              <Box component="dd" sx={{ m: 0, color: 'text.secondary' }}>
                {d.controls.map((c) => `${c.name} ${c.value || words.day.unknown}`).join(', ')}
              </Box>
            </Box>
          ))}
          {t.measurements.length > 0 && (
            <Box>
              <Box component="dt" sx={{ fontWeight: 600 }}>
                {words.day.measured}
              </Box>
              <Box component="dd" sx={{ m: 0, color: 'text.secondary' }}>
                {t.measurements.map((m) => `${m.name} ${m.value || words.day.unknown}`).join(', ')}
              </Box>
            </Box>
          )}
        </Box>
      )}
    </Box>
  );
}

// List is what came and what is due, for those who do not see the picture, or want to read it.
function List({ day: d }: { day: HouseDay }) {
  const all = [
    ...d.came.map((c) => ({ at: c.at, text: `${c.errand}: ${words.errands.did[c.did] ?? c.did}` })),
    ...d.next.map((n) => ({ at: n.at, text: `${n.errand}: ${words.day.due}` })),
    ...d.sun.map((s) => ({ at: s.at, text: s.event })),
  ].sort((a, b) => minuteOf(a.at) - minuteOf(b.at));
  return (
    <Box component="details" sx={{ mb: -2 }}>
      <Box
        component="summary"
        sx={{ minHeight: 44, display: 'flex', alignItems: 'center', cursor: 'pointer', fontWeight: 600 }}
      >
        {words.day.list}
      </Box>
      <Box component="ol" sx={{ m: 0, pl: 0, listStyle: 'none', columns: '260px' }}>
        {all.map((one, i) => (
          <li key={one.at + i}>
            {clockOf(one.at)} {one.text}
          </li>
        ))}
      </Box>
    </Box>
  );
}
