import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { words } from '../app/words';
import { holdLine } from '../automate/lines';
import { useEndHold, useHolds } from '../automate/queries';
import { Failed } from '../shared/Failed';
import { label } from '../shared/text';

// Held is what is set for a time on a device, and how to end that.
export function Held({ device }: { device: string }) {
  const holds = useHolds();
  const end = useEndHold();
  const held = holds.data?.filter((h) => h.device === device) ?? [];
  return (
    <>
      {held.map((h) => (
        <Box
          key={h.id}
          role="status"
          sx={{ display: 'flex', flexWrap: 'wrap', alignItems: 'center', columnGap: 1 }}
        >
          <Box sx={{ flex: { xs: '1 1 100%', sm: '0 1 auto' } }}>
            {label(h.control)}: {holdLine(h)}
          </Box>
          <Box sx={{ whiteSpace: 'nowrap' }}>
            <Button
              size="small"
              disabled={end.isPending}
              onClick={() => end.mutate({ id: h.id, stay: false })}
            >
              {words.automate.back}
            </Button>
            <Button
              size="small"
              disabled={end.isPending}
              onClick={() => end.mutate({ id: h.id, stay: true })}
            >
              {words.automate.stay}
            </Button>
          </Box>
        </Box>
      ))}
      <Failed of={[end]} />
    </>
  );
}

// HoldFor chooses how long controls are set for.
export function HoldFor({ seconds, onChange }: { seconds: number; onChange: (seconds: number) => void }) {
  return (
    <Box component="label" sx={{ fontSize: 14, color: 'text.secondary', mr: 1, whiteSpace: 'nowrap' }}>
      {words.automate.holdFor}{' '}
      <Box
        component="select"
        value={seconds}
        onChange={(e) => onChange(Number(e.target.value))}
        sx={{
          font: 'inherit',
          color: 'text.primary',
          bgcolor: 'transparent',
          minHeight: 32,
          borderColor: 'divider',
        }}
      >
        {Object.entries(words.automate.holds).map(([s, name]) => (
          <option key={s} value={s}>
            {name}
          </option>
        ))}
      </Box>
    </Box>
  );
}
