import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useState, type SubmitEvent } from 'react';
import type { NewStation, Station } from '../api/client';
import { useStations } from '../api/queries';
import { mono } from '../app/theme';
import { words } from '../app/words';
import { Note, Panel } from '../shared/Panel';
import { NameAndRoom } from './StationFields';
import { useAddStation } from './stations';

type Over = NewStation['over'];

const ways: Over[] = ['websocket', 'serial', 'mqtt', 'kernel'];

// AddStation asks how a station is reached, shows what to do at its side, and waits until it says hello.
export function AddStation({ onDone }: { onDone: () => void }) {
  const add = useAddStation();
  if (add.data) return <Waits added={add.data} onDone={onDone} />;
  return (
    <Panel title={words.stations.add}>
      <Form trouble={add.error?.message} busy={add.isPending} onAdd={(n) => add.mutate(n)} onDone={onDone} />
    </Panel>
  );
}

function Form(p: {
  trouble?: string | undefined;
  busy: boolean;
  onAdd: (n: NewStation) => void;
  onDone: () => void;
}) {
  const [form, setForm] = useState({ over: 'websocket' as Over, name: '', room: '', address: '' });
  const device = form.over === 'serial' || form.over === 'kernel';
  const submit = (e: SubmitEvent) => {
    e.preventDefault();
    p.onAdd({ ...form, address: device ? form.address : '' });
  };
  return (
    <Box component="form" onSubmit={submit} sx={{ display: 'grid', gap: 2, maxWidth: 480 }}>
      <TextField
        select
        label={words.stations.how}
        value={form.over}
        helperText={words.stations.hows[form.over]}
        onChange={(e) => setForm({ ...form, over: e.target.value as Over })}
      >
        {ways.map((w) => (
          <MenuItem key={w} value={w}>
            {words.stations.over[w]}
          </MenuItem>
        ))}
      </TextField>
      {device && (
        <TextField
          label={words.stations.device}
          value={form.address}
          required
          placeholder={form.over === 'serial' ? '/dev/ttyUSB0' : 'rc0'}
          slotProps={{ htmlInput: { maxLength: 200 } }}
          onChange={(e) => setForm({ ...form, address: e.target.value })}
        />
      )}
      <NameAndRoom form={form} onChange={setForm} />
      {p.trouble && <Note alert>{p.trouble}</Note>}
      <Box sx={{ display: 'flex', gap: 1 }}>
        <Button type="submit" variant="contained" disabled={p.busy}>
          {words.stations.addIt}
        </Button>
        <Button onClick={p.onDone}>{words.devices.cancel}</Button>
      </Box>
    </Box>
  );
}

// Waits shows what to do at the other side, until the station is here.
function Waits({ added, onDone }: { added: Station; onDone: () => void }) {
  const stations = useStations();
  const now = stations.data?.find((s) => s.name === added.name);
  const at = window.location.origin;
  const command = added.secret
    ? `URBO_TOKEN=${added.secret} urbo outpost --to ${at} --serial /dev/ttyUSB0`
    : added.over === 'mqtt'
      ? `urbo outpost --to mqtt://BROKER --name ${added.name} --serial /dev/ttyUSB0`
      : '';
  return (
    <Panel title={words.stations.waits(added.name)}>
      {command && (
        <>
          <Note>{added.secret ? words.stations.tokenOnce : words.stations.brokerHow}</Note>
          <Box
            component="pre"
            tabIndex={0}
            aria-label={words.stations.command}
            sx={{
              fontFamily: mono,
              fontSize: '0.9rem',
              m: 0,
              p: 1.5,
              border: 1,
              borderColor: 'divider',
              whiteSpace: 'pre-wrap',
              overflowWrap: 'anywhere',
            }}
          >
            {command}
          </Box>
        </>
      )}
      <Box role="status" sx={{ py: 1.5, fontWeight: 600, color: now?.here ? 'received' : 'text.secondary' }}>
        {now?.here ? words.stations.saidHello(added.name, now.ports.length) : words.stations.waiting}
      </Box>
      {now?.trouble && <Note alert>{now.trouble}</Note>}
      <Button variant="outlined" onClick={onDone}>
        {words.stations.done}
      </Button>
    </Panel>
  );
}
