import Box from '@mui/material/Box';
import type { Control, ControlState } from '../api/client';
import { words } from '../app/words';
import { clock } from '../shared/text';
import { comfortOf, does, gauge, lacks, shown } from './state';

// Comfort is the heart of a device for heating and cooling: what is wanted, what the room is at, and what the device
// is believed to do. What it lacks is said once.
export function Comfort({ controls, states }: { controls: Control[]; states: ControlState[] }) {
  const target = states.find((s) => s.control === comfortOf(controls)?.name);
  if (!target) return null;
  const missing = lacks(controls);
  const room = target.beside?.[0];
  return (
    <Box sx={{ borderBottom: '1px dotted', borderColor: 'divider', pb: 1.5, mb: 0.5 }}>
      <Box
        component="dl"
        aria-label={words.controls.comfort}
        sx={{
          m: 0,
          display: 'grid',
          gridTemplateColumns: { xs: '1fr 1fr', sm: 'auto auto minmax(0, 1fr)' },
          columnGap: { xs: 2, sm: 5 },
          rowGap: 1,
          '& dt': { color: 'text.secondary', fontSize: '0.9rem' },
          '& dd': { m: 0, fontSize: 26, fontWeight: 600, lineHeight: 1.3 },
        }}
      >
        <div>
          <dt>{words.controls.room}</dt>
          <dd>
            {room ? gauge(room) : '–'}
            <Under>{room ? `${room.name}, ${clock(room.at)}` : words.controls.noRoom}</Under>
          </dd>
        </div>
        <div>
          <dt>{words.controls.wanted}</dt>
          <Box component="dd" sx={{ color: target.word === 'doubtful' ? 'text.secondary' : 'belief' }}>
            {shown(target)}
            <Under>{words.controls.trust[target.word]}</Under>
          </Box>
        </div>
        <Box sx={{ gridColumn: { xs: '1 / -1', sm: 'auto' } }}>
          <dt>{words.controls.believedTo}</dt>
          <Box component="dd" sx={{ color: 'belief' }} style={{ fontSize: 18 }}>
            {does(states, controls)}
          </Box>
        </Box>
      </Box>
      {missing.length > 0 && (
        <Box sx={{ color: 'text.secondary', fontSize: '0.9rem', mt: 1 }}>
          {words.controls.hasNo(missing.join(', '))}
        </Box>
      )}
    </Box>
  );
}

// Under is what stands in small under a value.
function Under({ children }: { children: string }) {
  return (
    <Box
      component="span"
      sx={{ display: 'block', color: 'text.secondary', fontSize: '0.9rem', fontWeight: 400, lineHeight: 1.5 }}
    >
      {children}
    </Box>
  );
}
