import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Checkbox from '@mui/material/Checkbox';
import FormControlLabel from '@mui/material/FormControlLabel';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useState, type SubmitEvent } from 'react';
import { useNavigate } from 'react-router';
import type { Device, DeviceChange } from '../api/client';
import { useKinds } from '../api/queries';
import { useChangeDevice, useRemoveDevice, useTransmitters } from './queries';
import { words } from '../app/words';
import { Panel } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { PictureChoice } from './PictureChoice';

const texts = ['name', 'room', 'maker', 'model', 'slug'] as const;

// Settings is what belongs to a device beside its codes. Removing it asks once.
export function Settings({ device }: { device: Device }) {
  const [open, setOpen] = useState(false);
  return (
    <Panel
      title={words.device.settings}
      aside={
        !open && (
          <Button size="small" aria-label={words.device.changeSettings} onClick={() => setOpen(true)}>
            {words.device.change}
          </Button>
        )
      }
    >
      {open && <Form key={device.slug} device={device} onDone={() => setOpen(false)} />}
    </Panel>
  );
}

// scaled reads a number that may be left out.
const scaled = (text: string, by: number): number => Math.round(Number(text || 0) * by);

function Form({ device, onDone }: { device: Device; onDone: () => void }) {
  const kinds = useKinds();
  const change = useChangeDevice(device.slug);
  const remove = useRemoveDevice();
  const navigate = useNavigate();
  const [sure, setSure] = useState(false);
  const [form, setForm] = useState({
    name: device.name,
    room: device.room,
    maker: device.maker,
    model: device.model,
    slug: device.slug,
    kind: device.kind,
    transmitter: device.transmitter,
    also: device.also ?? [],
    verify: device.verify ?? false,
    plate: device.plate ?? '',
    notes: device.notes ?? '',
    power: device.power ?? '',
    inputs: device.inputs ?? '',
    mhz: device.plate_hz ? String(device.plate_hz / 1e6) : '',
    warmUp: device.warm_up_ms ? String(device.warm_up_ms / 1000) : '',
    gap: device.gap_ms ? String(device.gap_ms / 1000) : '',
  });
  const transmitters = useTransmitters(form.transmitter);
  const submit = (e: SubmitEvent) => {
    e.preventDefault();
    const { mhz, warmUp, gap, ...rest } = form;
    const times = { plate_hz: scaled(mhz, 1e6), warm_up_ms: scaled(warmUp, 1000), gap_ms: scaled(gap, 1000) };
    change.mutate({ ...rest, ...times } as DeviceChange, {
      onSuccess: (d) => {
        onDone();
        if (d.slug !== device.slug) void navigate(`/devices/${d.slug}`, { replace: true });
      },
    });
  };
  const pick = (name: 'kind' | 'transmitter' | 'power' | 'inputs', options: [string, string][]) => (
    <TextField
      select
      label={words.device.fields[name]}
      value={form[name]}
      slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
      onChange={(e) => setForm({ ...form, [name]: e.target.value })}
    >
      {options.map(([value, text]) => (
        <MenuItem key={value} value={value}>
          {text}
        </MenuItem>
      ))}
    </TextField>
  );
  return (
    <Box component="form" onSubmit={submit} sx={{ display: 'grid', gap: 2, maxWidth: 420 }}>
      {texts.map((name) => (
        <TextField
          key={name}
          label={words.device.fields[name]}
          value={form[name]}
          required={name === 'name' || name === 'slug'}
          slotProps={{ htmlInput: { maxLength: name === 'slug' ? 40 : 80 } }}
          onChange={(e) => setForm({ ...form, [name]: e.target.value })}
        />
      ))}
      {pick(
        'kind',
        (kinds.data ?? [{ name: device.kind, keys: [] }]).map((k) => [k.name, k.name.replaceAll('-', ' ')]),
      )}
      {pick('transmitter', [
        ['', words.device.anyTransmitter],
        ...transmitters.map((t): [string, string] => [t, t]),
      ])}
      <TextField
        select
        label={words.device.fields.also}
        value={form.also}
        slotProps={{
          select: {
            multiple: true,
            displayEmpty: true,
            renderValue: (all) => (all as string[]).join(', ') || words.device.alsoNone,
          },
          inputLabel: { shrink: true },
        }}
        onChange={(e) => setForm({ ...form, also: e.target.value as unknown as string[] })}
      >
        {[...new Set([...transmitters, ...form.also])]
          .filter((t) => t !== form.transmitter)
          .map((t) => (
            <MenuItem key={t} value={t}>
              {t}
            </MenuItem>
          ))}
      </TextField>
      <FormControlLabel
        control={
          <Checkbox checked={form.verify} onChange={(e) => setForm({ ...form, verify: e.target.checked })} />
        }
        label={words.device.verify}
      />
      {pick('power', [['', words.device.unsaid], ...Object.entries(words.device.powers)])}
      {pick('inputs', [['', words.device.unsaid], ...Object.entries(words.device.inputsOf)])}
      {(['warmUp', 'gap', 'mhz'] as const).map((name) => (
        <TextField
          key={name}
          label={words.device.numbers[name]}
          value={form[name]}
          slotProps={{ htmlInput: { inputMode: 'decimal', pattern: '[0-9]*[.]?[0-9]*', maxLength: 10 } }}
          onChange={(e) => setForm({ ...form, [name]: e.target.value })}
        />
      ))}
      <TextField
        label={words.device.fields.plate}
        value={form.plate}
        slotProps={{ htmlInput: { maxLength: 80 } }}
        onChange={(e) => setForm({ ...form, plate: e.target.value })}
      />
      <TextField
        label={words.device.fields.notes}
        value={form.notes}
        multiline
        maxRows={8}
        slotProps={{ htmlInput: { maxLength: 4000 } }}
        onChange={(e) => setForm({ ...form, notes: e.target.value })}
      />
      <PictureChoice device={device} />
      <Failed of={[change, remove]} />
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1 }}>
        <Button type="submit" variant="contained" disabled={change.isPending}>
          {words.device.save}
        </Button>
        <Button onClick={onDone}>{words.devices.cancel}</Button>
        <Button
          sx={{ ml: 'auto' }}
          onClick={() =>
            sure ? remove.mutate(device.slug, { onSuccess: () => void navigate('/devices') }) : setSure(true)
          }
        >
          {sure ? words.device.removeSure : words.device.remove}
        </Button>
      </Box>
    </Box>
  );
}
