import Box from '@mui/material/Box';
import type { Device } from '../api/client';
import { useAdvice } from './queries';
import { words } from '../app/words';
import { Note, Panel } from '../shared/Panel';

// AdvicePart says what is odd about a device.
export function AdvicePart({ device }: { device: Device }) {
  const advice = useAdvice(device);
  if (!advice.data) return null;
  if (advice.data.length === 0) return <Note>{words.device.noAdvice}</Note>;
  return (
    <Panel title={words.device.odd}>
      <Box component="ul" sx={{ m: 0, pl: 2.5, display: 'grid', gap: 0.75, maxWidth: '65ch' }}>
        {advice.data.map((a) => (
          <li key={a.text}>{a.text}</li>
        ))}
      </Box>
    </Panel>
  );
}
