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
import { BoardFiles } from './BoardFiles';
import { NameAndRoom } from './StationFields';
import { useAddStation } from './stations';

type Way = NewStation['over'] | 'wifi';
type Board = NonNullable<NewStation['wifi']>;

const ways: Way[] = ['websocket', 'wifi', 'serial', 'mqtt', 'kernel'];
const boards: Board[] = ['rp2040', 'esp32', 'other'];
const onlyHere = /^https?:\/\/(localhost|127\.|\[::1\])/;

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
  const [way, setWay] = useState<Way>('websocket');
  const [form, setForm] = useState({ name: '', room: '', address: '' });
  const [board, setBoard] = useState<Board>('rp2040');
  const [house, setHouse] = useState(window.location.origin);
  const device = way === 'serial' || way === 'kernel';
  const submit = (e: SubmitEvent) => {
    e.preventDefault();
    if (way === 'wifi') p.onAdd({ ...form, address: '', over: 'websocket', wifi: board, house });
    else p.onAdd({ ...form, over: way, address: device ? form.address : '' });
  };
  return (
    <Box component="form" onSubmit={submit} sx={{ display: 'grid', gap: 2, maxWidth: 480 }}>
      <TextField
        select
        label={words.stations.how}
        value={way}
        helperText={words.stations.hows[way]}
        onChange={(e) => setWay(e.target.value as Way)}
      >
        {ways.map((w) => (
          <MenuItem key={w} value={w}>
            {words.stations.over[w]}
          </MenuItem>
        ))}
      </TextField>
      {way === 'wifi' && (
        <>
          <TextField
            select
            label={words.stations.board}
            value={board}
            onChange={(e) => setBoard(e.target.value as Board)}
          >
            {boards.map((b) => (
              <MenuItem key={b} value={b}>
                {words.stations.boards[b]}
              </MenuItem>
            ))}
          </TextField>
          <TextField
            label={words.stations.houseAt}
            value={house}
            required
            error={onlyHere.test(house)}
            helperText={onlyHere.test(house) ? words.stations.onlyHere : 'http://ADDRESS:PORT'}
            slotProps={{ htmlInput: { maxLength: 200 } }}
            onChange={(e) => setHouse(e.target.value)}
          />
        </>
      )}
      {device && (
        <TextField
          label={words.stations.device}
          value={form.address}
          required
          placeholder={way === 'serial' ? '/dev/ttyUSB0' : 'rc0'}
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
  const command = added.files
    ? ''
    : added.secret
      ? `URBO_TOKEN=${added.secret} urbo outpost --to ${at} --serial /dev/ttyUSB0`
      : added.over === 'mqtt'
        ? `urbo outpost --to mqtt://BROKER --name ${added.name} --serial /dev/ttyUSB0`
        : '';
  return (
    <Panel title={words.stations.waits(added.name)}>
      {added.files && <BoardFiles files={added.files} pins={added.pins ?? ''} />}
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
