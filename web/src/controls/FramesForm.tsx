import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import type { Control, Device, Sheet } from '../api/client';
import { words } from '../app/words';
import { Failed } from '../shared/Failed';
import { carried, type Carried } from './frames';
import { usePutFrames, useRemoveFrames, useSheets } from './queries';

// FramesForm says what the frames of a line code carry, for handsets that send everything with each press.
export function FramesForm({ device, onDone }: { device: Device; onDone: () => void }) {
  const sheets = useSheets();
  const [name, setName] = useState(device.whole?.sheet ?? '');
  const remove = useRemoveFrames(device.slug);
  const sheet = sheets.data?.find((s) => s.name === name);
  return (
    <Box sx={{ display: 'grid', gap: 2, py: 1.5 }}>
      <Box sx={{ color: 'text.secondary', maxWidth: '60ch' }}>{words.controls.framesHow}</Box>
      <TextField
        select
        label={words.controls.sheet}
        value={sheet ? name : ''}
        sx={{ maxWidth: 420 }}
        slotProps={{ inputLabel: { shrink: true } }}
        onChange={(e) => setName(e.target.value)}
      >
        {(sheets.data ?? []).map((s) => (
          <MenuItem key={s.name} value={s.name}>
            {s.name}: {s.title}
          </MenuItem>
        ))}
      </TextField>
      {sheet && <Fields key={sheet.name} device={device} sheet={sheet} onDone={onDone} />}
      <Failed of={[sheets, remove]} />
      {device.whole && (
        <Button sx={{ justifySelf: 'start' }} onClick={() => remove.mutate(undefined, { onSuccess: onDone })}>
          {words.controls.framesNone}
        </Button>
      )}
    </Box>
  );
}

// Fields asks for each field which control it carries, and which values.
function Fields({ device, sheet, onDone }: { device: Device; sheet: Sheet; onDone: () => void }) {
  const put = usePutFrames(device.slug);
  const [rows, setRows] = useState<Carried[]>(() =>
    sheet.fields.map((f) => carried(f.name, device.whole, (device.controls ?? []) as Control[])),
  );
  const change = (i: number, more: Partial<Carried>) =>
    setRows(rows.map((r, n) => (n === i ? { ...r, ...more } : r)));
  const carries = rows.filter((r) => r.control.trim() && r.values.trim());
  const submit = () => {
    const fixed = Object.fromEntries(
      rows
        .filter((r) => !r.control.trim() && /^\s*\d+\s*$/.test(r.values))
        .map((r) => [r.field, Number(r.values)]),
    );
    put.mutate(
      { sheet: sheet.name, fixed, carries: carries.map((r) => ({ ...r, control: r.control.trim() })) },
      { onSuccess: onDone },
    );
  };
  return (
    <Box
      component="form"
      sx={{ display: 'grid', gap: 2 }}
      onSubmit={(e) => {
        e.preventDefault();
        submit();
      }}
    >
      {rows.map((r, i) => (
        <Box
          key={r.field}
          component="fieldset"
          sx={{
            border: 0,
            m: 0,
            p: 0,
            display: 'grid',
            gap: 1,
            gridTemplateColumns: { xs: 'minmax(0, 1fr)', sm: '150px minmax(0, 1fr) 90px' },
          }}
        >
          <Box component="legend" sx={{ gridColumn: '1 / -1', p: 0, fontWeight: 600, mb: 1 }}>
            {words.controls.field(r.field, sheet.fields[i]?.min ?? 0, sheet.fields[i]?.max ?? 0)}
          </Box>
          <TextField
            label={words.controls.control}
            value={r.control}
            slotProps={{ inputLabel: { shrink: true }, htmlInput: { maxLength: 40, spellCheck: false } }}
            onChange={(e) => change(i, { control: e.target.value })}
          />
          <TextField
            label={words.controls.carries}
            value={r.values}
            slotProps={{ inputLabel: { shrink: true }, htmlInput: { maxLength: 2000, spellCheck: false } }}
            onChange={(e) => change(i, { values: e.target.value })}
          />
          <TextField
            label={words.controls.unit}
            value={r.unit}
            slotProps={{ inputLabel: { shrink: true }, htmlInput: { maxLength: 12 } }}
            onChange={(e) => change(i, { unit: e.target.value })}
          />
        </Box>
      ))}
      <Failed of={[put]} />
      <Box sx={{ display: 'flex', gap: 1 }}>
        <Button type="submit" variant="contained" disabled={put.isPending || carries.length === 0}>
          {words.controls.keepIt}
        </Button>
        <Button onClick={onDone}>{words.devices.cancel}</Button>
      </Box>
    </Box>
  );
}
