import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useState, type SubmitEvent } from 'react';
import type { Device, NewAudition } from '../api/client';
import { useKinds } from '../api/queries';
import { words } from '../app/words';
import { Note, Panel } from '../shared/Panel';
import { label } from '../shared/text';
import { parseSweep } from './sweep';
import { useAuditionPlan } from './useAudition';

type Props = { device: Device; onStart: (body: NewAudition) => void; busy: boolean };

const pauses = [1000, 1500, 2500, 4000, 6000];

// AuditionChoice lets people say what is played: code sets, or a sweep over a field. It says how long that takes.
export function AuditionChoice({ device, onStart, busy }: Props) {
  const kinds = useKinds();
  const usual = device.keys.map((k) => k.name);
  const [from, setFrom] = useState<'sets' | 'sweep'>('sets');
  const [kind, setKind] = useState('');
  const [pause, setPause] = useState(2500);
  const climate = device.whole !== undefined || device.kind === 'air-conditioner';
  const [key, setKey] = useState(() =>
    climate ? 'climate' : (['power', 'on'].find((k) => usual.includes(k)) ?? usual[0] ?? 'power'),
  );
  const [text, setText] = useState('nec address=0..63 command=2');
  const sweep = from === 'sweep' ? parseSweep(text) : undefined;
  const body: NewAudition = {
    device: device.slug,
    function: key,
    pause_ms: pause,
    ...(sweep ? { sweep } : kind ? { kind } : {}),
  };
  const plan = useAuditionPlan(body);
  const unreadable = from === 'sweep' && !sweep;
  const submit = (e: SubmitEvent) => {
    e.preventDefault();
    onStart(body);
  };
  const pick = (
    name: 'function' | 'from' | 'kind' | 'pause',
    value: string,
    options: [string, string][],
    f: (v: string) => void,
  ) => (
    <TextField
      select
      label={words.audition[name]}
      value={value}
      slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
      onChange={(e) => f(e.target.value)}
    >
      {options.map(([v, t]) => (
        <MenuItem key={v} value={v}>
          {t}
        </MenuItem>
      ))}
    </TextField>
  );
  const functions = [...new Set([...(climate ? ['climate'] : []), key, ...usual])];
  return (
    <Panel title={words.audition.what}>
      <Box component="form" onSubmit={submit} sx={{ display: 'grid', gap: 2, maxWidth: 460 }}>
        {pick('from', from, Object.entries(words.audition.froms), (v) => setFrom(v as typeof from))}
        {pick(
          'function',
          key,
          functions.map((k) => [k, k === 'climate' ? words.audition.climate : label(k)]),
          setKey,
        )}
        {from === 'sets' &&
          pick(
            'kind',
            kind,
            [
              ['', words.audition.anyKind],
              ...(kinds.data ?? []).map((k): [string, string] => [k.name, label(k.name)]),
            ],
            setKind,
          )}
        {from === 'sweep' && (
          <TextField
            label={words.audition.sweep}
            value={text}
            error={unreadable}
            helperText={words.audition.sweepHow}
            slotProps={{ htmlInput: { maxLength: 200, spellCheck: false } }}
            onChange={(e) => setText(e.target.value)}
          />
        )}
        {pick(
          'pause',
          String(pause),
          pauses.map((p) => [String(p), words.audition.seconds(p / 1000)]),
          (v) => setPause(Number(v)),
        )}
        <Box aria-live="polite">
          {plan.data && !unreadable && <strong>{plan.data.text}</strong>}
          {plan.data && plan.data.sets.length > 0 && (
            <Note>{words.audition.order(plan.data.sets.slice(0, 6), plan.data.sets.length)}</Note>
          )}
          {plan.error && !unreadable && <Note alert>{plan.error.message}</Note>}
        </Box>
        <Button
          type="submit"
          variant="contained"
          disabled={busy || unreadable || !plan.data}
          sx={{ justifySelf: 'start' }}
        >
          {words.audition.start}
        </Button>
      </Box>
    </Panel>
  );
}
