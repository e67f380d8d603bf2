import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { client, unwrap } from '../api/client';
import { keys, useDevices } from '../api/queries';
import { stale } from '../api/stale';
import { words } from '../app/words';
import { Note, Panel } from '../shared/Panel';
import { Failed } from '../shared/Failed';

// OutagePart is where somebody says that the mains failed: nothing else can tell.
export function OutagePart() {
  const devices = useDevices();
  const [room, setRoom] = useState('');
  const outage = useMutation({
    mutationFn: () => unwrap(client.POST('/api/outage', { body: room ? { room } : {} })),
    onSuccess: () => stale(keys.states),
  });
  const rooms = [...new Set((devices.data ?? []).map((d) => d.room).filter(Boolean))].sort();
  return (
    <Panel title={words.house.mains}>
      <Note>{words.house.mainsHow}</Note>
      <Box sx={{ display: 'flex', flexWrap: 'wrap', alignItems: 'flex-end', gap: 2 }}>
        <TextField
          select
          label={words.house.mainsWhere}
          value={room}
          sx={{ maxWidth: 260 }}
          slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
          onChange={(e) => {
            setRoom(e.target.value);
            outage.reset();
          }}
        >
          <MenuItem value="">{words.house.everywhere}</MenuItem>
          {rooms.map((r) => (
            <MenuItem key={r} value={r}>
              {r}
            </MenuItem>
          ))}
        </TextField>
        <Button
          variant="outlined"
          disabled={outage.isPending || outage.isSuccess}
          onClick={() => outage.mutate()}
        >
          {words.house.mainsFailed}
        </Button>
      </Box>
      <Failed of={[outage]} />
      {outage.data && <Box role="status">{words.house.mainsConcerns(outage.data.devices)}</Box>}
    </Panel>
  );
}
