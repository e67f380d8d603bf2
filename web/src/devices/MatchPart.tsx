import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import type { Device } from '../api/client';
import { useAdopt, useMatches } from './queries';
import { words } from '../app/words';
import { Panel } from '../shared/Panel';
import { Failed } from '../shared/Failed';

// MatchPart says which code set a device's keys are, and lets it have the rest of them.
export function MatchPart({ device }: { device: Device }) {
  const matches = useMatches(device);
  const adopt = useAdopt(device.slug);
  const best = matches.data?.sets[0];
  if (!best || best.more.length === 0) return null;
  return (
    <Panel title={words.device.match}>
      <Box sx={{ maxWidth: '65ch' }}>{best.text}</Box>
      <Button
        variant="outlined"
        sx={{ mt: 1.5 }}
        disabled={adopt.isPending}
        onClick={() => adopt.mutate(best.slug)}
      >
        {words.device.adopt(best.more.length)}
      </Button>
      <Failed of={[adopt]} />
    </Panel>
  );
}
