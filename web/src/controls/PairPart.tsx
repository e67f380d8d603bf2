import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import type { Device, Pairing } from '../api/client';
import { words } from '../app/words';
import { Note, Panel } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { label } from '../shared/text';
import { useAskToPair, useCancelPairing, useConfirmPairing, usePair, usePairingWays } from './queries';

// PairPart makes a handset of Urbo's own for a device that obeys paired ones only.
export function PairPart({ device }: { device: Device }) {
  const [open, setOpen] = useState(false);
  return (
    <Panel
      title={words.pair.title}
      aside={
        !open && (
          <Button size="small" onClick={() => setOpen(true)}>
            {words.pair.begin}
          </Button>
        )
      }
    >
      {open ? <Choice device={device} onDone={() => setOpen(false)} /> : <Note>{words.pair.what}</Note>}
    </Panel>
  );
}

function Choice({ device, onDone }: { device: Device; onDone: () => void }) {
  const ways = usePairingWays();
  const pair = usePair(device.slug);
  const [way, setWay] = useState('');
  if (pair.data) return <Steps device={device} pairing={pair.data} onDone={onDone} />;
  return (
    <Box sx={{ display: 'grid', gap: 2, maxWidth: 420 }}>
      <TextField
        select
        label={words.pair.obeys}
        value={way}
        slotProps={{ inputLabel: { shrink: true } }}
        onChange={(e) => setWay(e.target.value)}
      >
        {(ways.data ?? []).map((w) => (
          <MenuItem key={w.way} value={w.way}>
            {w.for} ({w.way})
          </MenuItem>
        ))}
      </TextField>
      <Failed of={[pair]} />
      <Box sx={{ display: 'flex', gap: 1 }}>
        <Button variant="outlined" disabled={!way || pair.isPending} onClick={() => pair.mutate(way)}>
          {words.pair.make}
        </Button>
        <Button onClick={onDone}>{words.devices.cancel}</Button>
      </Box>
    </Box>
  );
}

// Steps leads through the pairing. Until somebody says that the device took the handset, nothing of it is changed.
function Steps({ device, pairing, onDone }: { device: Device; pairing: Pairing; onDone: () => void }) {
  const press = useAskToPair(device.slug);
  const took = useConfirmPairing(device.slug);
  const cancel = useCancelPairing(device.slug);
  if (took.isSuccess) return <Note>{words.pair.done}</Note>;
  return (
    <Box component="ol" sx={{ display: 'grid', gap: 1.5, pl: 2.5, m: 0 }}>
      <li>{pairing.first}</li>
      <li>
        {words.pair.then}{' '}
        <Button variant="outlined" disabled={press.isPending} onClick={() => press.mutate()}>
          {words.pair.send(label(pairing.key))}
        </Button>
        <Failed of={[press]} />
        {press.data && press.data.outcome !== 'sent' && <Note alert>{press.data.reason}</Note>}
      </li>
      {press.isSuccess && (
        <li>
          <Box sx={{ mb: 1 }}>{words.pair.took(pairing.shows)}</Box>
          <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1 }}>
            <Button variant="contained" disabled={took.isPending} onClick={() => took.mutate()}>
              {words.pair.yes}
            </Button>
            <Button variant="outlined" onClick={() => press.reset()}>
              {words.pair.again}
            </Button>
          </Box>
          <Failed of={[took]} />
        </li>
      )}
      <Box>
        <Button onClick={() => cancel.mutate(undefined, { onSettled: onDone })}>{words.pair.stop}</Button>
      </Box>
    </Box>
  );
}
