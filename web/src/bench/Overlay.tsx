import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import Slider from '@mui/material/Slider';
import TextField from '@mui/material/TextField';
import { useMemo, useState } from 'react';
import type { CaptureDetail, Comparison } from '../api/client';
import { useCaptures } from '../api/queries';
import { useComparison } from './queries';
import { words } from '../app/words';
import { Note, Panel } from '../shared/Panel';
import { clock, label } from '../shared/text';
import { what } from './CaptureList';
import { Trace } from './Trace';
import { edges } from './trace';

type Props = { first: CaptureDetail; over: string; onOver: (id: string) => void };

// Overlay lays another capture over the one on the bench: the first stands on the line, the second hangs from it.
export function Overlay({ first, over, onOver }: Props) {
  const captures = useCaptures();
  const others = (captures.data ?? []).filter((c) => c.id !== first.capture.id);
  const comparison = useComparison(first.capture.id, over);
  if (others.length === 0 && !over) return null;
  return (
    <Panel title={words.bench.overlay}>
      <TextField
        select
        label={words.bench.second}
        value={over}
        onChange={(e) => onOver(e.target.value)}
        sx={{ maxWidth: 520 }}
      >
        <MenuItem value="">{words.bench.noSecond}</MenuItem>
        {others.map((c) => (
          <MenuItem key={c.id} value={c.id}>
            {clock(c.at)} {c.keys[0] ? `${c.keys[0].device} ${label(c.keys[0].key)}` : what(c)}
          </MenuItem>
        ))}
      </TextField>
      {comparison.error && <Note alert>{comparison.error.message}</Note>}
      {comparison.data && over && <Laid key={over} of={comparison.data} />}
    </Panel>
  );
}

// Laid draws both frames, the second stretched in time and moved as the handles say.
function Laid({ of: c }: { of: Comparison }) {
  const fit = 1 / c.length;
  const place = c.a.slice(0, c.offset).reduce((sum, d) => sum + d, 0);
  const [stretch, setStretch] = useState(1);
  const [shift, setShift] = useState(place);
  const rows = useMemo(
    () => [
      { times: edges(c.a), colour: 'received' as const, name: words.bench.firstShort },
      { times: edges(c.b, stretch, shift), colour: 'transmitted' as const, name: words.bench.secondShort },
    ],
    [c, stretch, shift],
  );
  const view = useMemo(() => {
    const end = Math.max(edges(c.a).at(-1) ?? 1, edges(c.b).at(-1) ?? 1);
    return { min: -0.02 * end, max: 1.05 * end };
  }, [c]);
  return (
    <Box sx={{ mt: 2 }}>
      <Box sx={{ borderLeft: 3, borderColor: 'text.primary', pl: 2, mb: 1.5, maxWidth: '65ch' }}>
        {c.words}
      </Box>
      <Box sx={{ display: 'flex', gap: 2, fontSize: 14, fontWeight: 600 }}>
        <Box sx={{ color: 'received' }}>{words.bench.firstAbove}</Box>
        <Box sx={{ color: 'secondary.main' }}>{words.bench.secondBelow}</Box>
      </Box>
      <Trace rows={rows} view={view} height={220} name={words.bench.overlayDrawing} />
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
          value={stretch}
          min={0.5}
          max={2}
          step={0.001}
          text={`${(100 * stretch).toFixed(1)} %`}
          onChange={setStretch}
        />
        <Handle
          name={words.bench.shiftHandle}
          value={shift / 1000}
          min={-20}
          max={Math.max(60, place / 1000)}
          step={0.01}
          text={`${(shift / 1000).toFixed(2)} ms`}
          onChange={(ms) => setShift(1000 * ms)}
        />
        <Button
          variant="outlined"
          onClick={() => {
            setStretch(fit);
            setShift(place);
          }}
        >
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
        color="secondary"
        onChange={(_, v) => onChange(v)}
      />
    </Box>
  );
}
