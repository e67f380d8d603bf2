import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useState } from 'react';
import type { Stage } from '../api/client';
import { useMay } from '../api/may';
import { useCaptures, useFailMains, useSetFaults, useStage } from '../api/queries';
import { mono } from '../app/theme';
import { words } from '../app/words';
import { HowChoice, StageKeys, type How } from '../devices/StageHandset';
import { Note, Panel } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { clock, fields, hertz } from '../shared/text';

type Handset = Stage['handsets'][number];
type Appliance = Stage['appliances'][number];

// StagePart is the simulated surroundings, room by room: appliances as they truly are, each with its handset to press.
export default function StagePart() {
  const stage = useStage();
  const [how, setHow] = useState<How>('short');
  if (!stage.data) return <Note>{words.loading}</Note>;
  const { handsets, appliances } = stage.data;
  const rooms = Map.groupBy(handsets, (h) => h.room);
  return (
    <>
      <Note>{words.house.stageHow}</Note>
      <HeardLast />
      <Box sx={{ mt: 2 }}>
        <HowChoice how={how} onChange={setHow} />
      </Box>
      <Faults faults={stage.data.faults} />
      {[...rooms].map(([room, inIt]) => (
        <Panel key={room} title={room}>
          <Box
            sx={{
              display: 'grid',
              gridTemplateColumns: { sm: 'repeat(auto-fill, minmax(260px, 1fr))' },
              gap: 4,
            }}
          >
            {inIt.map((h) => (
              <Thing
                key={h.slug}
                handset={h}
                appliance={appliances.find((x) => x.slug === h.slug)}
                how={how}
              />
            ))}
          </Box>
        </Panel>
      ))}
    </>
  );
}

// Faults lets presses be missed or unheard, and the mains fail.
function Faults({ faults }: { faults: Stage['faults'] }) {
  const set = useSetFaults();
  const fail = useFailMains();
  const may = useMay();
  if (!may('use')) return null;
  return (
    <Box sx={{ mt: 2, display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'center' }}>
      {(['lose', 'unheard'] as const).map((name) => (
        <TextField
          key={name}
          select
          size="small"
          sx={{ width: 280, maxWidth: '100%' }}
          label={words.house.faults[name]}
          value={faults[name]}
          onChange={(e) => set.mutate({ ...faults, [name]: Number(e.target.value) })}
        >
          {[...new Set([0, 50, 20, 5, faults[name]])].map((n) => (
            <MenuItem key={n} value={n}>
              {n ? words.house.oneOf(n) : words.house.noFault}
            </MenuItem>
          ))}
        </TextField>
      ))}
      <Button variant="outlined" disabled={fail.isPending} onClick={() => fail.mutate()}>
        {words.house.failMains}
      </Button>
      <Failed of={[set, fail]} />
    </Box>
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

// Thing is an appliance and its handset; some handsets have none that answers to them.
function Thing({ handset: h, appliance, how }: { handset: Handset; appliance?: Appliance; how: How }) {
  return (
    <Box data-appliance={h.slug}>
      <Typography variant="h3">{appliance?.title ?? h.title}</Typography>
      <Box sx={{ color: 'text.secondary', fontSize: 14 }}>
        {h.medium}, {hertz(h.hz)}
        {h.weak_battery && `, ${words.house.weak}`}
      </Box>
      {appliance ? <Facts facts={appliance.facts} /> : <Note>{h.about ?? words.house.nothingAnswers}</Note>}
      <StageKeys handset={h} how={how} />
    </Box>
  );
}

function Facts({ facts }: { facts: Appliance['facts'] }) {
  return (
    <Box component="dl" sx={{ m: 0, my: 1, display: 'grid', gridTemplateColumns: '104px 1fr', rowGap: 0.25 }}>
      {facts.map((f, i) => (
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
  );
}
