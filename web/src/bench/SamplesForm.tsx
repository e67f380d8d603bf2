import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import { words } from '../app/words';
import { bareSamples, type Samples } from './upload';

type Props = { file: string; onGiven: (s: Samples) => void; onCancel: () => void };

// SamplesForm asks what bare samples do not say themselves.
export function SamplesForm({ file, onGiven, onCancel }: Props) {
  const [datatype, setDatatype] = useState(bareSamples(file) || 'cu8');
  const [rate, setRate] = useState('2400000');
  const [frequency, setFrequency] = useState('433920000');
  return (
    <Box
      component="form"
      sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'end', mt: 1.5 }}
      onSubmit={(e) => {
        e.preventDefault();
        onGiven({ datatype, rate_hz: Number(rate), frequency_hz: Number(frequency) });
      }}
    >
      <Box sx={{ flexBasis: '100%' }}>{words.bench.samplesHow(file)}</Box>
      <TextField
        select
        label={words.bench.datatype}
        value={datatype}
        sx={{ width: 130 }}
        onChange={(e) => setDatatype(e.target.value)}
      >
        {['cu8', 'ci8', 'ci16_le', 'cf32_le'].map((d) => (
          <MenuItem key={d} value={d}>
            {d}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        label={words.bench.rateHz}
        type="number"
        value={rate}
        sx={{ width: 190 }}
        onChange={(e) => setRate(e.target.value)}
      />
      <TextField
        label={words.bench.frequencyHz}
        type="number"
        value={frequency}
        sx={{ width: 170 }}
        onChange={(e) => setFrequency(e.target.value)}
      />
      <Button type="submit" variant="outlined">
        {words.bench.read}
      </Button>
      <Button onClick={onCancel}>{words.bench.cancel}</Button>
    </Box>
  );
}
