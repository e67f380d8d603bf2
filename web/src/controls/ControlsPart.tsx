import Box from '@mui/material/Box';
import type { Control, ControlState, Device } from '../api/client';
import { words } from '../app/words';
import { Note, Panel } from '../shared/Panel';
import { Comfort } from './Comfort';
import { ControlRow } from './ControlRow';
import { useStates } from './queries';

// ControlsPart is what can be set on a device, with what is believed of it.
export function ControlsPart({ device }: { device: Device }) {
  const controls = (device.controls ?? []) as Control[];
  const states = useStates(device.slug);
  const of = (c: Control): ControlState | undefined => states.data?.find((s) => s.control === c.name);
  return (
    <Panel title={words.controls.title}>
      {states.error && <Note alert>{states.error.message}</Note>}
      <Comfort controls={controls} states={states.data ?? []} />
      <Box sx={{ display: 'grid' }}>
        {controls.map((c) => {
          const state = of(c);
          return state && <ControlRow key={c.name} device={device} control={c} state={state} />;
        })}
      </Box>
    </Panel>
  );
}
