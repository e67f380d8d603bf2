import Box from '@mui/material/Box';
import { useState } from 'react';
import type { Capture } from '../api/client';
import { useCaptures } from '../api/queries';
import { mono } from '../app/theme';
import { words } from '../app/words';
import { Heading, Note } from '../shared/Panel';
import { clock, fields, label } from '../shared/text';
import { Waveform } from '../shared/Waveform';

// BenchPage shows what the receivers heard, newest first, with its readings and its waveform.
export default function BenchPage() {
  const captures = useCaptures();
  const [open, setOpen] = useState<string | null>(null);
  return (
    <>
      <Heading title={words.bench.title} under={words.bench.heard} />
      {captures.error && <Note alert>{captures.error.message}</Note>}
      {captures.data?.length === 0 && <Note>{words.bench.none}</Note>}
      <Box sx={{ mt: 2 }}>
        {captures.data?.map((c, i) => (
          <Row
            key={c.id}
            capture={c}
            open={open === c.id || (open === null && i === 0)}
            onOpen={() => setOpen(c.id)}
          />
        ))}
      </Box>
    </>
  );
}

function Row({ capture: c, open, onOpen }: { capture: Capture; open: boolean; onOpen: () => void }) {
  const best = c.readings[0];
  const what = best
    ? `${best.sheet}: ${fields(best.fields)}`
    : c.held
      ? words.bench.held(c.held)
      : words.bench.noCode;
  const colour = c.echo ? 'secondary.main' : 'received';
  return (
    <Box sx={{ borderTop: 1, borderColor: 'divider', py: 1 }}>
      <Box
        component="button"
        onClick={onOpen}
        aria-expanded={open}
        sx={{
          all: 'unset',
          boxSizing: 'border-box',
          width: '100%',
          minHeight: 44,
          cursor: 'pointer',
          display: 'grid',
          gridTemplateColumns: { xs: 'auto 1fr', sm: '90px 150px 1fr auto' },
          columnGap: 2,
          alignItems: 'baseline',
          '&:focus-visible': { outline: '3px solid', outlineOffset: 2 },
        }}
      >
        <Box component="span" sx={{ fontFamily: mono, fontSize: 14 }}>
          {clock(c.at)}
        </Box>
        <Box component="span" sx={{ color: 'text.secondary', textAlign: { xs: 'right', sm: 'left' } }}>
          {c.station} {c.port}
        </Box>
        <Box
          component="span"
          sx={{
            fontFamily: mono,
            fontSize: 14,
            overflowWrap: 'anywhere',
            gridColumn: { xs: '1 / -1', sm: 'auto' },
          }}
        >
          {what}
        </Box>
        <Box
          component="span"
          sx={{ color: colour, fontWeight: 600, gridColumn: { xs: '1 / -1', sm: 'auto' } }}
        >
          {c.echo ? words.bench.echo : c.keys.map((k) => `${k.device} ${label(k.key)}`).join(', ')}
          {!c.stored && ` (${words.bench.notStored})`}
        </Box>
      </Box>
      {open && <Detail capture={c} />}
    </Box>
  );
}

function Detail({ capture: c }: { capture: Capture }) {
  const flat = c.trains.flatMap((t, i) => (i + 1 < c.trains.length ? [...t.train, t.gap_us] : t.train));
  return (
    <Box sx={{ pb: 1 }}>
      <Waveform train={flat} sent={c.echo} height={72} />
      {c.readings.map((r) => (
        <Box
          key={r.sheet + fields(r.fields)}
          sx={{ fontSize: 14, color: 'text.secondary', display: 'flex', flexWrap: 'wrap', columnGap: 2 }}
        >
          <Box component="span" sx={{ fontFamily: mono, color: 'text.primary' }}>
            {r.sheet}: {fields(r.fields)}
          </Box>
          <span>{words.bench.frames(r.frames + r.repeats)}</span>
          <span>
            {words.bench.unit} {r.unit_us.toFixed(0)} µs
          </span>
          <span>
            {words.bench.stretch} {r.stretch_us > 0 ? '+' : ''}
            {r.stretch_us.toFixed(0)} µs
          </span>
          <span>
            {words.bench.confidence} {r.confidence.toFixed(2)}
          </span>
        </Box>
      ))}
    </Box>
  );
}
