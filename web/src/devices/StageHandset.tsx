import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import type { HandsetPress, Stage } from '../api/client';
import { usePressHandset, useStage } from '../api/queries';
import { words } from '../app/words';
import { KeyButton } from '../shared/KeyButton';
import { Panel } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { FaceGrid } from './FaceGrid';

// hows are the ways to press a key, also the wrong ones that people have.
const hows = {
  short: {},
  second: { hold_ms: 1000 },
  long: { hold_ms: 2500 },
  touch: { hold_ms: 15 },
  far: { far: true },
} satisfies Record<string, HandsetPress>;

export type How = keyof typeof hows;

// HowChoice says how keys on the stage are pressed.
export function HowChoice({ how, onChange }: { how: How; onChange: (how: How) => void }) {
  return (
    <TextField
      select
      label={words.house.how}
      value={how}
      sx={{ maxWidth: 280, mb: 1.5 }}
      onChange={(e) => onChange(e.target.value as How)}
    >
      {(Object.keys(hows) as How[]).map((h) => (
        <MenuItem key={h} value={h}>
          {words.house.hows[h]}
        </MenuItem>
      ))}
    </TextField>
  );
}

// StageHandset is the simulated handset of a device, where the house has a stage with one.
export function StageHandset({ slug }: { slug: string }) {
  const stage = useStage();
  const [how, setHow] = useState<How>('short');
  const handset = stage.data?.handsets.find((h) => h.slug === slug);
  if (!handset) return null;
  return (
    <Panel title={words.lesson.onStage}>
      <StageKeys handset={handset} how={how} />
      <HowChoice how={how} onChange={setHow} />
    </Panel>
  );
}

// StageKeys are the keys of a handset on the stage.
export function StageKeys({ handset, how = 'short' }: { handset: Stage['handsets'][number]; how?: How }) {
  const press = usePressHandset();
  return (
    <>
      <FaceGrid keys={handset.keys}>
        {(key) => (
          <KeyButton name={key} onPress={() => press.mutate({ handset: handset.slug, key, ...hows[how] })} />
        )}
      </FaceGrid>
      <Failed of={[press]} />
    </>
  );
}
