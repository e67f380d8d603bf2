import Box from '@mui/material/Box';
import Checkbox from '@mui/material/Checkbox';
import FormControlLabel from '@mui/material/FormControlLabel';
import Typography from '@mui/material/Typography';
import { useState } from 'react';
import type { Stage } from '../api/client';
import { useCaptures, usePressHandset, useStage } from '../api/queries';
import { mono } from '../app/theme';
import { words } from '../app/words';
import { face } from '../devices/face';
import { KeyButton } from '../shared/KeyButton';
import { Note, Panel } from '../shared/Panel';
import { clock, fields, hertz } from '../shared/text';

// StagePart is the simulated surroundings: appliances as they truly are, and handsets to press.
export default function StagePart() {
  const stage = useStage();
  const [long, setLong] = useState(false);
  if (!stage.data) return <Note>{words.loading}</Note>;
  return (
    <>
      <Note>{words.house.stageHow}</Note>
      <HeardLast />
      <Panel title={words.house.appliances}>
        <Box
          sx={{
            display: 'grid',
            gridTemplateColumns: { sm: 'repeat(auto-fill, minmax(260px, 1fr))' },
            gap: { xs: 2, sm: 4 },
          }}
        >
          {stage.data.appliances.map((a) => (
            <Appliance key={a.slug} appliance={a} />
          ))}
        </Box>
      </Panel>
      <Panel
        title={words.house.handsets}
        aside={
          <FormControlLabel
            label={words.house.hold}
            control={<Checkbox checked={long} onChange={() => setLong(!long)} />}
          />
        }
      >
        <Box
          sx={{
            display: 'grid',
            gridTemplateColumns: { sm: 'repeat(auto-fill, minmax(260px, 1fr))' },
            gap: 4,
          }}
        >
          {stage.data.handsets.map((h) => (
            <Handset key={h.slug} handset={h} hold={long ? 1000 : 0} />
          ))}
        </Box>
      </Panel>
    </>
  );
}

function HeardLast() {
  const captures = useCaptures();
  const last = captures.data?.find((c) => !c.echo);
  if (!last) return null;
  const best = last.readings[0];
  return (
    <Box role="status" sx={{ borderLeft: 3, borderColor: 'received', pl: 2, py: 0.5 }}>
      {words.lesson.heard}: {clock(last.at)},{' '}
      <Box component="span" sx={{ fontFamily: mono, fontSize: 14 }}>
        {best ? `${best.sheet}: ${fields(best.fields)}` : words.bench.noCode}
      </Box>
    </Box>
  );
}

function Appliance({ appliance: a }: { appliance: Stage['appliances'][number] }) {
  return (
    <Box data-appliance={a.slug}>
      <Typography variant="h3">{a.title}</Typography>
      <Box component="dl" sx={{ m: 0, display: 'grid', gridTemplateColumns: '96px 1fr', rowGap: 0.25 }}>
        {a.facts.map((f, i) => (
          <Box key={`${f.name}${i}`} sx={{ display: 'contents' }}>
            <Box component="dt" sx={{ color: 'text.secondary' }}>
              {f.name}
            </Box>
            <Box component="dd" sx={{ m: 0, fontWeight: f.name === 'power' ? 600 : 400 }} data-fact={f.name}>
              {f.name === 'power' && <span aria-hidden="true">{f.value === 'off' ? '○ ' : '● '}</span>}
              {f.value}
            </Box>
          </Box>
        ))}
      </Box>
    </Box>
  );
}

function Handset({ handset: h, hold }: { handset: Stage['handsets'][number]; hold: number }) {
  const press = usePressHandset();
  return (
    <Box>
      <Typography variant="h3">{h.title}</Typography>
      <Box sx={{ color: 'text.secondary', fontSize: 14, mb: 1 }}>
        {h.medium}, {hertz(h.hz)}
        {h.weak_battery && `, ${words.house.weak}`}
      </Box>
      <Box sx={{ display: 'grid', gridTemplateColumns: 'repeat(3, minmax(0, 1fr))', gap: 1, maxWidth: 300 }}>
        {face(h.keys).flatMap((row, y) =>
          row.map((key, x) =>
            key === null ? (
              <span key={`${y}-${x}`} />
            ) : (
              <KeyButton key={key} name={key} onPress={() => press.mutate({ handset: h.slug, key, hold })} />
            ),
          ),
        )}
      </Box>
      {press.error && <Note alert>{press.error.message}</Note>}
    </Box>
  );
}
