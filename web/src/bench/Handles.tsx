import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Slider from '@mui/material/Slider';
import type { Comparison } from '../api/client';
import { words } from '../app/words';
import { placeOf } from './trace';

// Laid is how the second signal lies over the first: stretched in time, and moved by µs.
export type Laid = { stretch: number; shift: number };

// Handles stretch and move the second signal by hand; Fit lays it where it fits the first best.
export function Handles({
  of: c,
  laid,
  onLaid,
}: {
  of: Comparison;
  laid?: Laid;
  onLaid: (l: Laid | undefined) => void;
}) {
  const place = placeOf(c);
  const now = laid ?? { stretch: 1 / c.length, shift: place };
  return (
    <Box
      sx={{
        display: 'grid',
        gridTemplateColumns: { sm: '1fr 1fr auto' },
        columnGap: 4,
        alignItems: 'center',
        mt: 1,
      }}
    >
      <Handle
        name={words.bench.stretchHandle}
        value={now.stretch}
        min={0.5}
        max={2}
        step={0.001}
        text={`${(100 * now.stretch).toFixed(1)} %`}
        onChange={(stretch) => onLaid({ ...now, stretch })}
      />
      <Handle
        name={words.bench.shiftHandle}
        value={now.shift / 1000}
        min={-20}
        max={Math.max(60, place / 1000)}
        step={0.01}
        text={`${(now.shift / 1000).toFixed(2)} ms`}
        onChange={(ms) => onLaid({ ...now, shift: 1000 * ms })}
      />
      <Box sx={{ display: 'flex', gap: 1 }}>
        <Button variant="outlined" onClick={() => onLaid({ stretch: 1, shift: 0 })}>
          {words.bench.asHeard}
        </Button>
        <Button variant="outlined" onClick={() => onLaid(undefined)}>
          {words.bench.fit}
        </Button>
      </Box>
    </Box>
  );
}

type HandleProps = {
  name: string;
  value: number;
  min: number;
  max: number;
  step: number;
  text: string;
  onChange: (v: number) => void;
};

function Handle({ name, value, min, max, step, text, onChange }: HandleProps) {
  return (
    <Box>
      <Box sx={{ display: 'flex', justifyContent: 'space-between', fontSize: 14, color: 'text.secondary' }}>
        <span>{name}</span>
        <span>{text}</span>
      </Box>
      <Slider
        aria-label={name}
        value={value}
        min={min}
        max={max}
        step={step}
        onChange={(_, v) => onChange(v)}
      />
    </Box>
  );
}
