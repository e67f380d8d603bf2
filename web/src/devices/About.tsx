import Box from '@mui/material/Box';
import type { Device } from '../api/client';
import { words } from '../app/words';
import { Panel } from '../shared/Panel';
import { hertz } from '../shared/text';

// About is what was written down of a device: its picture, its type plate, how it is switched, and notes.
export function About({ device: d }: { device: Device }) {
  const facts: [string, string][] = [
    [words.device.fields.plate, [d.plate, d.plate_hz ? hertz(d.plate_hz) : ''].filter(Boolean).join(', ')],
    [words.device.fields.power, d.power ? words.device.powers[d.power] : ''],
    [words.device.fields.inputs, d.inputs ? words.device.inputsOf[d.inputs] : ''],
    [words.device.fields.warm_up_ms, d.warm_up_ms ? words.device.seconds(d.warm_up_ms / 1000) : ''],
    [words.device.fields.gap_ms, d.gap_ms ? words.device.seconds(d.gap_ms / 1000) : ''],
    [words.device.fields.notes, d.notes ?? ''],
  ];
  const said = facts.filter(([, value]) => value !== '');
  if (!d.picture && said.length === 0) return null;
  return (
    <Panel title={words.device.about}>
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 3, alignItems: 'flex-start' }}>
        {d.picture && (
          <img
            src={`/api/devices/${d.slug}/picture?tag=${d.picture}`}
            alt={d.name}
            style={{ maxWidth: 220, maxHeight: 220, objectFit: 'contain', borderRadius: 4 }}
          />
        )}
        <Box
          component="dl"
          sx={{
            m: 0,
            display: 'grid',
            gridTemplateColumns: 'auto minmax(0, 1fr)',
            columnGap: 3,
            rowGap: 0.5,
          }}
        >
          {said.map(([name, value]) => (
            <Box key={name} sx={{ display: 'contents' }}>
              <Box component="dt" sx={{ color: 'text.secondary' }}>
                {name}
              </Box>
              <Box component="dd" sx={{ m: 0, whiteSpace: 'pre-line', overflowWrap: 'anywhere' }}>
                {value}
              </Box>
            </Box>
          ))}
        </Box>
      </Box>
    </Panel>
  );
}
