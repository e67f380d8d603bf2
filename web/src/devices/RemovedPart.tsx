import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { words } from '../app/words';
import { Panel } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { clock } from '../shared/text';
import { useRemoved, useRestoreDevice } from './queries';

// RemovedPart lists the devices that can be brought back, where there are any.
export function RemovedPart() {
  const removed = useRemoved();
  const restore = useRestoreDevice();
  if (!removed.data?.length) return null;
  return (
    <Panel title={words.devices.removed}>
      {removed.data.map((d) => (
        <Box
          key={d.id}
          sx={{ display: 'flex', alignItems: 'center', gap: 2, minHeight: 48, flexWrap: 'wrap' }}
        >
          <Box component="span" sx={{ fontWeight: 600 }}>
            {d.name}
          </Box>
          <Box component="span" sx={{ color: 'text.secondary' }}>
            {words.devices.removedWith(d.keys)}, {words.devices.removedAt(clock(d.removed))}
          </Box>
          <Button
            size="small"
            variant="outlined"
            sx={{ ml: 'auto' }}
            aria-label={words.devices.restoreName(d.name)}
            onClick={() => restore.mutate(d.id)}
          >
            {words.devices.restore}
          </Button>
        </Box>
      ))}
      <Failed of={[restore]} />
    </Panel>
  );
}
