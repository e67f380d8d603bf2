import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Slider from '@mui/material/Slider';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import type { Control, ControlState } from '../api/client';
import { words } from '../app/words';
import { label } from '../shared/text';
import { endsOf, step, valuesOf } from './state';

interface Props {
  control: Control;
  state: ControlState;
  busy: boolean;
  onWish: (value: string) => void;
}

// Setter is what sets a control: a face of its own for each kind.
export function Setter(p: Props) {
  switch (p.control.kind) {
    case 'power':
    case 'selector':
      return <Choice {...p} values={valuesOf(p.control)} />;
    case 'dial':
      return <Dial {...p} />;
    case 'digits':
      return <Digits {...p} />;
    case 'travel':
      return <Travel {...p} />;
    default:
      return null;
  }
}

// Choice is a row of values; the one that is believed is marked by a line under it and by what screen readers say.
function Choice({ control, state, busy, onWish, values }: Props & { values: string[] }) {
  return (
    <Box role="group" aria-label={label(control.name)} sx={{ display: 'flex', flexWrap: 'wrap', gap: 1 }}>
      {values.map((v) => {
        const is = state.value === v;
        return (
          <Button
            key={v}
            variant="outlined"
            disabled={busy}
            aria-pressed={is}
            aria-label={words.controls.setTo(label(control.name), label(v))}
            sx={{ minWidth: 56, minHeight: 48, boxShadow: is ? 'inset 0 -3px 0 currentColor' : undefined }}
            onClick={() => onWish(v)}
          >
            {label(v)}
          </Button>
        );
      })}
    </Box>
  );
}

function Dial({ control, state, busy, onWish }: Props) {
  const least = control.least ?? 0;
  const most = control.most ?? 0;
  const believed = state.value === undefined ? undefined : Number(state.value);
  const [wanted, setWanted] = useState<number | undefined>();
  const at = wanted ?? believed ?? least;
  const done = (v: number) => {
    setWanted(undefined);
    onWish(String(v));
  };
  const turn = (steps: number) =>
    believed === undefined ? onWish(`${steps > 0 ? '+' : ''}${steps}`) : done(step(control, believed, steps));
  return (
    <Box sx={{ display: 'flex', alignItems: 'center', gap: 2 }}>
      <Button
        variant="outlined"
        disabled={busy}
        aria-label={words.controls.less(label(control.name))}
        sx={{ minWidth: 48, minHeight: 48 }}
        onClick={() => turn(-1)}
      >
        −
      </Button>
      <Slider
        aria-label={label(control.name)}
        min={least}
        max={most}
        step={control.step ?? 1}
        value={at}
        disabled={busy}
        valueLabelDisplay="auto"
        sx={{ color: 'belief', opacity: believed === undefined && wanted === undefined ? 0.5 : 1 }}
        onChange={(_, v) => setWanted(v as number)}
        onChangeCommitted={(_, v) => done(v as number)}
      />
      <Button
        variant="outlined"
        disabled={busy}
        aria-label={words.controls.more(label(control.name))}
        sx={{ minWidth: 48, minHeight: 48 }}
        onClick={() => turn(1)}
      >
        +
      </Button>
    </Box>
  );
}

function Digits({ control, busy, onWish }: Props) {
  const [text, setText] = useState('');
  return (
    <Box
      component="form"
      sx={{ display: 'flex', flexWrap: 'wrap', alignItems: 'flex-end', gap: 1 }}
      onSubmit={(e) => {
        e.preventDefault();
        if (text) onWish(text);
        setText('');
      }}
    >
      <TextField
        label={words.controls.number(control.least ?? 0, control.most ?? 99)}
        value={text}
        sx={{ width: 140 }}
        slotProps={{ htmlInput: { inputMode: 'numeric', pattern: '[0-9]*', maxLength: 5 } }}
        onChange={(e) => setText(e.target.value)}
      />
      <Button type="submit" variant="outlined" disabled={busy || !text}>
        {words.controls.go}
      </Button>
      {Object.keys(control.favourites ?? {}).map((name) => (
        <Button key={name} variant="outlined" disabled={busy} onClick={() => onWish(name)}>
          {name}
        </Button>
      ))}
    </Box>
  );
}

// place is where a travel is, 0 to 100.
function place(value: string | undefined, ends: [string, string]): number | undefined {
  if (value === undefined) return undefined;
  if (value === ends[0]) return 0;
  return value === ends[1] ? 100 : Number(value.replace('%', ''));
}

function Travel({ control, state, busy, onWish }: Props) {
  const ends = endsOf(control);
  const believed = place(state.value, ends);
  const [wanted, setWanted] = useState<number | undefined>();
  const stops = Boolean(control.stop ?? control.round);
  return (
    <Box sx={{ display: 'flex', flexWrap: 'wrap', alignItems: 'center', gap: 2 }}>
      {ends.map((e) => (
        <Button
          key={e}
          variant="outlined"
          disabled={busy}
          aria-label={words.controls.setTo(label(control.name), label(e))}
          sx={{ minHeight: 48 }}
          onClick={() => onWish(e)}
        >
          {label(e)}
        </Button>
      ))}
      {stops && (
        <Slider
          aria-label={label(control.name)}
          min={0}
          max={100}
          step={5}
          value={wanted ?? believed ?? 0}
          disabled={busy}
          valueLabelDisplay="auto"
          valueLabelFormat={(v) => `${v} %`}
          sx={{
            color: 'belief',
            flex: '1 1 120px',
            mx: 1.5,
            opacity: believed === undefined && wanted === undefined ? 0.5 : 1,
          }}
          onChange={(_, v) => setWanted(v as number)}
          onChangeCommitted={(_, v) => {
            setWanted(undefined);
            onWish(String(v));
          }}
        />
      )}
    </Box>
  );
}
