import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useState } from 'react';
import { dueLine } from '../automate/lines';
import { words } from '../app/words';
import { usePutQuiet, useQuiet } from './queries';

const hour = 3_600_000;

// Quiet lets no errand begin anything for a time.
export function Quiet() {
  const quiet = useQuiet();
  const put = usePutQuiet();
  const [open, setOpen] = useState(false);
  const until = quiet.data?.until;
  if (until)
    return (
      <Box sx={{ display: 'flex', alignItems: 'center', gap: 1, flexWrap: 'wrap' }}>
        <strong role="status">{words.errands.quietUntil(dueLine(until))}</strong>
        <Button size="small" variant="outlined" disabled={put.isPending} onClick={() => put.mutate(0)}>
          {words.errands.endQuiet}
        </Button>
      </Box>
    );
  return (
    <Box sx={{ display: 'flex', gap: 0.5, flexWrap: 'wrap' }}>
      <Button size="small" aria-expanded={open} onClick={() => setOpen(!open)}>
        {words.errands.quiet} …
      </Button>
      {open &&
        [1, 4, 12, 24 * 7].map((h) => (
          <Button
            key={h}
            size="small"
            variant="outlined"
            disabled={put.isPending}
            onClick={() => {
              put.mutate(h * hour);
              setOpen(false);
            }}
          >
            {words.errands.quietFor(h < 100 ? `${h} h` : '7 d')}
          </Button>
        ))}
    </Box>
  );
}
