import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useState, type SubmitEvent } from 'react';
import { useNavigate } from 'react-router';
import { useKinds } from '../api/queries';
import { useAddDevice } from './queries';
import { words } from '../app/words';
import { Panel } from '../shared/Panel';
import { Failed } from '../shared/Failed';

// AddDevice asks for a new device and opens it.
export function AddDevice({ onDone }: { onDone: () => void }) {
  const kinds = useKinds();
  const add = useAddDevice();
  const navigate = useNavigate();
  const [form, setForm] = useState({ name: '', room: '', kind: 'other', maker: '', model: '' });
  const text = (name: keyof typeof form, required = false) => (
    <TextField
      label={words.devices[name]}
      value={form[name]}
      required={required}
      autoFocus={required}
      slotProps={{ htmlInput: { maxLength: 80 } }}
      onChange={(e) => setForm({ ...form, [name]: e.target.value })}
    />
  );
  const submit = (e: SubmitEvent) => {
    e.preventDefault();
    add.mutate(form, { onSuccess: (d) => void navigate(`/devices/${d.slug}`) });
  };
  return (
    <Panel title={words.devices.add}>
      <Box component="form" onSubmit={submit} sx={{ display: 'grid', gap: 2, maxWidth: 420 }}>
        {text('name', true)}
        {text('room')}
        <TextField
          select
          label={words.devices.kind}
          value={form.kind}
          onChange={(e) => setForm({ ...form, kind: e.target.value })}
        >
          {(kinds.data ?? [{ name: 'other', keys: [] }]).map((k) => (
            <MenuItem key={k.name} value={k.name}>
              {k.name.replaceAll('-', ' ')}
            </MenuItem>
          ))}
        </TextField>
        {text('maker')}
        {text('model')}
        <Failed of={[add]} />
        <Box sx={{ display: 'flex', gap: 1 }}>
          <Button type="submit" variant="contained" disabled={add.isPending}>
            {words.devices.save}
          </Button>
          <Button onClick={onDone}>{words.devices.cancel}</Button>
        </Box>
      </Box>
    </Panel>
  );
}
