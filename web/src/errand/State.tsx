import Box from '@mui/material/Box';

// State is the sign of an errand: a mark on its baseline is on, the baseline alone is off, and a dashed mark is on
// trial.
export function State({ on, trial }: { on: boolean; trial: boolean }) {
  return (
    <Box
      component="svg"
      width={34}
      height={22}
      aria-hidden
      sx={{ display: 'block', color: on && !trial ? 'text.primary' : 'text.secondary' }}
    >
      {on && !trial && <rect x={6} y={0} width={22} height={20} fill="currentColor" />}
      {on && trial && (
        <path d="M7 20V1h20v19" fill="none" stroke="currentColor" strokeWidth={2} strokeDasharray="4 3" />
      )}
      <rect x={0} y={20} width={34} height={2} fill="currentColor" />
    </Box>
  );
}
