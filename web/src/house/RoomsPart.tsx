import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { client, unwrap, type Room } from '../api/client';
import { keys, useRooms } from '../api/queries';
import { stale } from '../api/stale';
import { words } from '../app/words';
import { Note, Panel } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { Line } from './Line';

// RoomsPart is the rooms of the house. One that something stands in cannot be removed.
export default function RoomsPart() {
  const rooms = useRooms();
  const [name, setName] = useState('');
  const add = useMutation({
    mutationFn: () => unwrap(client.POST('/api/rooms', { body: { name } })),
    onSuccess: () => {
      setName('');
      stale(keys.rooms);
    },
  });
  return (
    <Panel title={words.rooms.title}>
      <Failed of={[rooms, add]} />
      {rooms.data?.length === 0 && <Note>{words.rooms.none}</Note>}
      {rooms.data?.map((r) => (
        <RoomLine key={r.id} room={r} />
      ))}
      <Box
        component="form"
        sx={{ display: 'flex', gap: 1, mt: 2, alignItems: 'flex-end' }}
        onSubmit={(e) => {
          e.preventDefault();
          add.mutate();
        }}
      >
        <TextField
          label={words.rooms.add}
          value={name}
          sx={{ maxWidth: 260 }}
          slotProps={{ htmlInput: { maxLength: 80 } }}
          onChange={(e) => setName(e.target.value)}
        />
        <Button type="submit" variant="outlined" disabled={!name.trim() || add.isPending}>
          {words.rooms.addDo}
        </Button>
      </Box>
    </Panel>
  );
}

function RoomLine({ room }: { room: Room }) {
  const [name, setName] = useState<string>(); // while it is renamed
  const path = { params: { path: { room: room.id } } };
  const rename = useMutation({
    mutationFn: (to: string) => unwrap(client.PATCH('/api/rooms/{room}', { ...path, body: { name: to } })),
    onSuccess: () => setName(undefined),
    onSettled: () => [keys.rooms, keys.devices, keys.stations].forEach(stale),
  });
  const remove = useMutation({
    mutationFn: () => unwrap(client.DELETE('/api/rooms/{room}', path)),
    onSettled: () => stale(keys.rooms),
  });
  return (
    <>
      {name === undefined ? (
        <Line name={room.name} about={[words.rooms.holds(room.devices, room.stations)]}>
          <Button
            size="small"
            aria-label={words.rooms.renameName(room.name)}
            onClick={() => setName(room.name)}
          >
            {words.rooms.rename}
          </Button>
          {room.devices + room.stations === 0 && (
            <Button
              size="small"
              aria-label={words.rooms.removeName(room.name)}
              onClick={() => remove.mutate()}
            >
              {words.rooms.remove}
            </Button>
          )}
        </Line>
      ) : (
        <Box
          component="form"
          sx={{ display: 'flex', gap: 1, py: 1, alignItems: 'flex-end' }}
          onSubmit={(e) => {
            e.preventDefault();
            rename.mutate(name);
          }}
        >
          <TextField
            label={words.rooms.renameName(room.name)}
            value={name}
            autoFocus
            sx={{ maxWidth: 260 }}
            slotProps={{ htmlInput: { maxLength: 80 } }}
            onChange={(e) => setName(e.target.value)}
          />
          <Button type="submit" variant="contained" disabled={!name.trim() || rename.isPending}>
            {words.people.save}
          </Button>
          <Button onClick={() => setName(undefined)}>{words.devices.cancel}</Button>
        </Box>
      )}
      <Failed of={[rename, remove]} />
    </>
  );
}
