import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useState } from 'react';
import type { Rehearsal } from '../api/client';
import { dueLine } from '../automate/lines';
import { words } from '../app/words';
import { Note } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { useWidth } from '../shared/useWidth';
import { minuteOf } from './day';
import { useRehearse } from './queries';

const past = 14;
const coming = -7;

// RehearsalView says what an errand would have done in the last days, or would do in the coming ones: in words, and as
// a picture with a line for each day. Nothing is sent.
export function RehearsalView({ errand, text }: { errand?: string; text?: string }) {
  const rehearse = useRehearse();
  const [days, setDays] = useState<number | null>(null);
  const ask = (n: number) => {
    setDays(n);
    rehearse.mutate({ errand, text, days: n });
  };
  const name = (n: number) => (n > 0 ? words.errands.lastDays : words.errands.comingDays);
  return (
    <Box role="group" aria-label={words.errands.rehearsal} sx={{ display: 'grid', gap: 1, py: 1 }}>
      <Box sx={{ display: 'flex', gap: 1, flexWrap: 'wrap' }}>
        {[past, coming].map((n) => (
          <Button key={n} size="small" variant={days === n ? 'contained' : 'outlined'} onClick={() => ask(n)}>
            {name(n)}
          </Button>
        ))}
      </Box>
      {rehearse.isPending && <Note>{words.errands.rehearsing}</Note>}
      <Failed of={[rehearse]} />
      {rehearse.data && days !== null && <Result of={rehearse.data} days={name(days)} />}
    </Box>
  );
}

function Result({ of: r, days }: { of: Rehearsal; days: string }) {
  const rows = dates(r);
  return (
    <>
      <Box role="status">{words.errands.inDays(days, r.sum)}</Box>
      {r.unrehearsed.map((what) => (
        <Note key={what}>{words.errands.notRemembered(what)}</Note>
      ))}
      {r.cues.length > 0 && (
        <>
          <Picture of={r} rows={rows} />
          <Box sx={{ color: 'text.secondary', fontSize: 14 }}>{words.errands.legend}</Box>
          <Box component="ul" sx={{ m: 0, pl: 2.5, maxWidth: '80ch' }}>
            {r.cues.slice(-12).map((c, i) => (
              <li key={c.at + i}>
                {dueLine(c.at)}: {words.errands.did[c.did] ?? c.did}
                {c.asks ? `, ${words.errands.asksFor(c.asks)}` : ''}
                {c.does.length > 0 && c.did !== 'ended' ? `: ${c.does.map((d) => d.says).join('; ')}` : ''}
                {c.did !== 'ran' && c.did !== 'ended' && c.answers.length > 0
                  ? `: ${c.answers.map((a) => `${a.asked}: ${a.is}`).join('; ')}`
                  : ''}
              </li>
            ))}
          </Box>
        </>
      )}
    </>
  );
}

// dates are the days of a rehearsal.
function dates(r: Rehearsal): string[] {
  const out: string[] = [];
  const last = r.to.slice(0, 10);
  for (
    let d = new Date(`${r.from.slice(0, 10)}T00:00:00Z`);
    out.length < 100;
    d = new Date(d.getTime() + 86_400_000)
  ) {
    const date = d.toISOString().slice(0, 10);
    out.push(date);
    if (date >= last) break;
  }
  return out;
}

const row = 22;
const left = 76;

// Picture is a line for each day, with a mark on its baseline for each cue.
function Picture({ of: r, rows }: { of: Rehearsal; rows: string[] }) {
  const [box, full] = useWidth<HTMLDivElement>(720);
  const width = Math.min(full, 860);
  const x = (at: string) => left + ((width - left) * minuteOf(at)) / 1440;
  return (
    <Box ref={box} sx={{ width: '100%' }}>
      <Box
        component="svg"
        width={width}
        height={rows.length * row + 20}
        role="img"
        aria-label={r.sum}
        sx={{ display: 'block', color: 'text.primary', fontSize: 13 }}
      >
        {rows.map((date, i) => {
          const base = (i + 1) * row;
          return (
            <g key={date}>
              <text x={0} y={base - 4} fill="currentColor" opacity={0.75}>
                {dueLine(`${date}T00:00`).replace(/ \d+-/, ' ').slice(0, 9)}
              </text>
              <line x1={left} x2={width} y1={base} y2={base} stroke="currentColor" opacity={0.4} />
              {r.cues
                .filter((c) => c.at.startsWith(date))
                .map((c, k) => (
                  <Sign key={k} x={x(c.at)} base={base} did={c.asks ? 'asks' : c.did} />
                ))}
            </g>
          );
        })}
        {[0, 6, 12, 18].map((h) => (
          <text
            key={h}
            x={left + ((width - left) * h) / 24}
            y={rows.length * row + 16}
            fill="currentColor"
            opacity={0.75}
          >
            {h}
          </text>
        ))}
      </Box>
    </Box>
  );
}

function Sign({ x, base, did }: { x: number; base: number; did: string }) {
  switch (did) {
    case 'ran':
    case 'stretched':
    case 'ended':
      return <rect x={x - 1.5} y={base - 15} width={3} height={15} fill="currentColor" />;
    case 'skipped':
      return <rect x={x - 1} y={base - 6} width={2} height={6} fill="currentColor" opacity={0.6} />;
    case 'unknown':
    case 'asks':
      return (
        <line
          x1={x}
          x2={x}
          y1={base - 15}
          y2={base}
          stroke="var(--mui-palette-belief)"
          strokeWidth={3}
          strokeDasharray="3 3"
        />
      );
  }
  return <rect x={x - 1.5} y={base - 10} width={3} height={10} fill="var(--mui-palette-transmitted)" />;
}
