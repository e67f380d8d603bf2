import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useState, type SubmitEvent } from 'react';
import { useDevices } from '../api/queries';
import { Note } from '../shared/Panel';

type Props = {
  label: string;
  action: string;
  done?: string;
  error?: Error | null;
  onDo: (device: string) => void;
};

// WithDevice does something with a chosen device.
export function WithDevice({ label, action, done, error, onDo }: Props) {
  const devices = useDevices();
  const [device, setDevice] = useState('');
  const submit = (e: SubmitEvent) => {
    e.preventDefault();
    onDo(device);
  };
  return (
    <Box
      component="form"
      onSubmit={submit}
      sx={{ display: 'flex', flexWrap: 'wrap', gap: 1.5, alignItems: 'end' }}
    >
      <TextField
        select
        label={label}
        value={device}
        sx={{ flex: '1 1 200px', maxWidth: 280 }}
        onChange={(e) => setDevice(e.target.value)}
      >
        {(devices.data ?? []).map((d) => (
          <MenuItem key={d.slug} value={d.slug}>
            {d.name}
          </MenuItem>
        ))}
      </TextField>
      <Button type="submit" variant="outlined" disabled={!device}>
        {action}
      </Button>
      <Box aria-live="polite" sx={{ flexBasis: '100%' }}>
        {done && !error && <Note>{done}</Note>}
        {error && <Note alert>{error.message}</Note>}
      </Box>
    </Box>
  );
}
