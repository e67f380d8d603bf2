import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import type { Control, Device } from '../api/client';
import { words } from '../app/words';
import { Failed } from '../shared/Failed';
import { label } from '../shared/text';
import { endsOf, valuesOf } from './state';
import { useTell } from './queries';

// Really is where a person says what a control really is at.
export function Really({
  device,
  control,
  onDone,
}: {
  device: Device;
  control: Control;
  onDone: () => void;
}) {
  const tell = useTell(device.slug);
  const [text, setText] = useState('');
  const say = (value: string) => tell.mutate({ control: control.name, value }, { onSuccess: onDone });
  const values =
    control.kind === 'travel'
      ? [...endsOf(control)]
      : control.kind === 'power' || control.kind === 'selector'
        ? valuesOf(control)
        : [];
  return (
    <Box
      component="form"
      sx={{ display: 'flex', flexWrap: 'wrap', alignItems: 'flex-end', gap: 1 }}
      onSubmit={(e) => {
        e.preventDefault();
        if (text) say(text);
      }}
    >
      <Box sx={{ alignSelf: 'center', color: 'text.secondary' }}>{words.controls.really}</Box>
      {values.map((v) => (
        <Button
          key={v}
          size="small"
          variant="outlined"
          aria-label={words.controls.isReally(label(v))}
          onClick={() => say(v)}
        >
          {label(v)}
        </Button>
      ))}
      {values.length === 0 && (
        <>
          <TextField
            label={words.controls.value}
            value={text}
            autoFocus
            sx={{ width: 100 }}
            slotProps={{ htmlInput: { inputMode: 'decimal', maxLength: 20 } }}
            onChange={(e) => setText(e.target.value)}
          />
          <Button type="submit" size="small" variant="outlined" disabled={!text}>
            {words.controls.say}
          </Button>
        </>
      )}
      <Button size="small" onClick={onDone}>
        {words.devices.cancel}
      </Button>
      <Failed of={[tell]} />
    </Box>
  );
}
