import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import ButtonBase from '@mui/material/ButtonBase';
import { useState } from 'react';
import type { Device } from '../api/client';
import { useChangeDevice } from './queries';
import { words } from '../app/words';
import { Note } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { label } from '../shared/text';
import { face, stored, swap, type Row } from './face';

type Place = [number, number];

// Arrange lets people lay out a handset's face: one tap takes a key up, another puts it into a place.
export function Arrange({ device, onDone }: { device: Device; onDone: () => void }) {
  const change = useChangeDevice(device.slug);
  const [rows, setRows] = useState<Row[]>(() => [
    ...face(
      device.keys.map((k) => k.name),
      device.face,
    ),
    [null, null, null],
  ]);
  const [taken, setTaken] = useState<Place | null>(null);
  const tap = (at: Place) => {
    if (!taken) {
      if (rows[at[0]]?.[at[1]]) setTaken(at);
      return;
    }
    const next = swap(rows, taken, at);
    if (next[next.length - 1]?.some((k) => k !== null)) next.push([null, null, null]);
    setRows(next);
    setTaken(null);
  };
  const save = (arranged: string[][]) => change.mutate({ face: arranged }, { onSuccess: onDone });
  return (
    <Box sx={{ maxWidth: 340 }}>
      <Note>{taken ? words.device.putDown : words.device.takeUp}</Note>
      <Box sx={{ display: 'grid', gridTemplateColumns: 'repeat(3, minmax(0, 1fr))', gap: 1 }}>
        {rows.flatMap((row, y) =>
          row.map((key, x) => {
            const held = taken?.[0] === y && taken[1] === x;
            return (
              <ButtonBase
                key={`${y}-${x}`}
                aria-label={key ? label(key) : words.device.emptyPlace(y + 1, x + 1)}
                aria-pressed={held}
                onClick={() => tap([y, x])}
                sx={{
                  minHeight: 52,
                  border: key ? '1px solid' : '1px dotted',
                  borderColor: key ? 'text.primary' : 'text.secondary',
                  borderRadius: '10px',
                  fontFamily: 'inherit',
                  fontSize: 16,
                  bgcolor: held ? 'text.primary' : undefined,
                  color: held ? 'background.default' : undefined,
                  '&.Mui-focusVisible': { outline: '3px solid currentColor', outlineOffset: 2 },
                }}
              >
                {key && label(key)}
              </ButtonBase>
            );
          }),
        )}
      </Box>
      <Failed of={[change]} />
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1, mt: 2 }}>
        <Button variant="contained" disabled={change.isPending} onClick={() => save(stored(rows))}>
          {words.device.save}
        </Button>
        <Button onClick={() => save([])}>{words.device.byItself}</Button>
        <Button onClick={onDone}>{words.devices.cancel}</Button>
      </Box>
    </Box>
  );
}
