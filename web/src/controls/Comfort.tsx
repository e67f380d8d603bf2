import Box from '@mui/material/Box';
import type { Control, ControlState } from '../api/client';
import { words } from '../app/words';
import { clock } from '../shared/text';
import { comfortOf, gauge, lacks } from './state';

// Comfort is what the tiles of a device for heating and cooling do not say: what the room is at, and what the device
// does not have of what most have.
export function Comfort({ controls, states }: { controls: Control[]; states: ControlState[] }) {
  const target = states.find((s) => s.control === comfortOf(controls)?.name);
  if (!target) return null;
  const missing = lacks(controls);
  const room = target.beside?.[0];
  return (
    <Box sx={{ color: 'text.secondary', mb: 1.5 }}>
      {room ? (
        <>
          {words.controls.room}{' '}
          <Box component="strong" sx={{ color: 'text.primary', fontSize: 22, fontWeight: 600 }}>
            {gauge(room)}
          </Box>{' '}
          {`${room.name}${room.at ? `, ${clock(room.at)}` : ''}. `}
        </>
      ) : (
        words.controls.noRoom
      )}
      {missing.length > 0 && words.controls.hasNo(missing.join(', '))}
    </Box>
  );
}
