import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useState, type SubmitEvent } from 'react';
import type { Key } from '../api/client';
import { useChangeKey, useRemoveKey, useTransmitters, useWriteKey } from './queries';
import { words } from '../app/words';
import { Failed } from '../shared/Failed';

const holds = ['', 'once', 'repeat'] as const;

// KeyChange renames a key, says what holding it does, or removes it, which is asked once.
export function KeyChange({ device, of, onDone }: { device: string; of: Key; onDone: () => void }) {
  const change = useChangeKey(device, of.name);
  const remove = useRemoveKey(device);
  const write = useWriteKey(device);
  const [text, setText] = useState('');
  const [hz, setHz] = useState('');
  const [name, setName] = useState(of.name);
  const [hold, setHold] = useState<(typeof holds)[number]>(of.hold ?? '');
  // What is not changed here is not sent: codes may differ, and have pauses that are no whole milliseconds.
  const wasRepeats = of.codes[0]?.repeats?.toString() ?? '';
  const wasPause = (Math.round((of.codes[0]?.gap_us ?? 0) / 1000) || '').toString();
  const [repeats, setRepeats] = useState(wasRepeats);
  const [pause, setPause] = useState(wasPause);
  const [through, setThrough] = useState(of.transmitter ?? '');
  const places = useTransmitters(of.transmitter);
  const [sure, setSure] = useState(false);
  const submit = (e: SubmitEvent) => {
    e.preventDefault();
    const how = {
      ...(repeats !== wasRepeats && { repeats: repeats === '' ? -1 : Number(repeats) }),
      ...(pause !== wasPause && { pause_ms: Number(pause) }),
      ...(through !== (of.transmitter ?? '') && { transmitter: through }),
    };
    const rename = () => change.mutate({ name, hold, ...how }, { onSuccess: onDone });
    if (text.trim() === '') rename();
    else write.mutate({ key: of.name, text, hz: Math.round(Number(hz || 0) * 1000) }, { onSuccess: rename });
  };
  return (
    <Box
      component="form"
      onSubmit={submit}
      sx={{ display: 'grid', gap: 2, maxWidth: 420, py: 1, pl: 2, borderLeft: 2 }}
    >
      <TextField
        label={words.device.keyName}
        value={name}
        required
        autoFocus
        slotProps={{ htmlInput: { maxLength: 40 } }}
        onChange={(e) => setName(e.target.value)}
      />
      <TextField
        select
        label={words.device.hold}
        value={hold}
        slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
        onChange={(e) => setHold(e.target.value as typeof hold)}
      >
        {holds.map((h) => (
          <MenuItem key={h} value={h}>
            {words.device.holds[h]}
          </MenuItem>
        ))}
      </TextField>
      {of.codes.length > 0 && (
        <Box sx={{ display: 'flex', gap: 2 }}>
          <TextField
            label={words.device.repeats}
            value={repeats}
            helperText={words.device.asTheCode}
            slotProps={{ htmlInput: { inputMode: 'numeric', pattern: '[0-9]{1,2}', maxLength: 2 } }}
            onChange={(e) => setRepeats(e.target.value)}
          />
          <TextField
            label={words.device.pause}
            value={pause}
            helperText={words.device.asTheCode}
            slotProps={{ htmlInput: { inputMode: 'numeric', pattern: '[0-9]{1,4}', maxLength: 4 } }}
            onChange={(e) => setPause(e.target.value)}
          />
        </Box>
      )}
      {(places.length > 1 || through !== '') && (
        <TextField
          select
          label={words.device.keyThrough}
          value={through}
          slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
          onChange={(e) => setThrough(e.target.value)}
        >
          <MenuItem value="">{words.device.asTheDevice}</MenuItem>
          {places.map((p) => (
            <MenuItem key={p} value={p}>
              {p}
            </MenuItem>
          ))}
        </TextField>
      )}
      <TextField
        label={words.device.byHand}
        value={text}
        helperText={words.device.byHandHow}
        slotProps={{ htmlInput: { maxLength: 60000, spellCheck: false } }}
        onChange={(e) => setText(e.target.value)}
      />
      {/^[\s[{(<]*[+\d]/.test(text) && (
        <TextField
          label={words.device.onKhz}
          value={hz}
          slotProps={{ htmlInput: { inputMode: 'decimal', pattern: '[0-9]*[.]?[0-9]*', maxLength: 10 } }}
          onChange={(e) => setHz(e.target.value)}
        />
      )}
      <Failed of={[change, write, remove]} />
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1 }}>
        <Button type="submit" variant="contained">
          {words.device.save}
        </Button>
        <Button onClick={onDone}>{words.devices.cancel}</Button>
        <Button
          sx={{ ml: 'auto' }}
          onClick={() => (sure ? remove.mutate(of.name, { onSuccess: onDone }) : setSure(true))}
        >
          {sure ? words.device.removeKeySure : words.device.removeKey}
        </Button>
      </Box>
    </Box>
  );
}
