import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useState } from 'react';
import type { Control, ControlState, Device } from '../api/client';
import { useMay } from '../api/may';
import { words } from '../app/words';
import { Panel } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { Comfort } from './Comfort';
import { EditControls } from './EditControls';
import { ControlTile } from './ControlTile';
import { Held, HoldFor } from './Held';
import { useStates, useUndoSet } from './queries';

// ControlsPart is what can be set on a device, with what is believed of it.
export function ControlsPart({ device }: { device: Device }) {
  const controls = (device.controls ?? []) as Control[];
  const states = useStates(device.slug);
  const of = (name: string): ControlState | undefined => states.data?.find((s) => s.control === name);
  const [editing, setEditing] = useState(false);
  const may = useMay();
  const [forS, setForS] = useState(0);
  const { undo, there } = useUndoSet(device.slug);
  if (editing) {
    return (
      <Panel title={words.controls.title}>
        <EditControls device={device} onDone={() => setEditing(false)} />
      </Panel>
    );
  }
  return (
    <Panel
      title={words.controls.title}
      aside={
        <Box sx={{ display: 'flex', flexWrap: 'wrap', justifyContent: 'flex-end', alignItems: 'center' }}>
          {may('use') && <HoldFor seconds={forS} onChange={setForS} />}
          {there && (
            <Button size="small" disabled={undo.isPending} onClick={() => undo.mutate()}>
              {words.controls.undo}
            </Button>
          )}
        </Box>
      }
    >
      <Failed of={[undo]} />
      <Failed of={[states]} />
      <Held device={device.slug} />
      <Comfort controls={controls} states={states.data ?? []} />
      <div className="board">
        <div className="tiles controls">
          {device.faces.map((f) => (
            <ControlTile key={f.control} device={device.slug} face={f} state={of(f.control)} forS={forS} />
          ))}
        </div>
      </div>
      {may('teach') && (
        <Button
          size="small"
          sx={{ mt: 0.5, ml: -0.5, color: 'text.secondary' }}
          onClick={() => setEditing(true)}
        >
          {words.controls.edit}
        </Button>
      )}
    </Panel>
  );
}
