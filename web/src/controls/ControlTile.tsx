import Dialog from '@mui/material/Dialog';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { useState } from 'react';
import type { ControlState, Face } from '../api/client';
import { useMay } from '../api/may';
import { faceSize } from '../boards/face';
import { ControlFace } from '../boards/faces';
import { Said } from '../boards/Said';
import { TileFrame } from '../boards/TileFrame';
import { useDeviceUse } from '../boards/useUse';
import { label } from '../shared/text';
import { Known } from './Known';

// ControlTile is one control on the page of its device: the face that it has on a board, with its details behind it.
export function ControlTile({
  device,
  face,
  state,
  forS,
}: {
  device: string;
  face: Face;
  state?: ControlState;
  forS: number; // how long it is set for, in s; 0 is for good
}) {
  const use = useDeviceUse(device, forS);
  const may = useMay();
  const [open, setOpen] = useState(false);
  const name = label(face.control);
  return (
    <TileFrame name={name} className={faceSize(face)} onMore={() => setOpen(true)}>
      <ControlFace face={may('use') ? face : { ...face, fixed: true }} is={state} name={name} use={use} />
      <Said use={use} name={use.asks ? label(use.asks.control) : name} is={state} />
      {open && (
        <Dialog open onClose={() => setOpen(false)} fullWidth maxWidth="sm" aria-labelledby="known-title">
          <DialogTitle id="known-title">{name}</DialogTitle>
          <DialogContent className="board">
            <Known device={device} name={face.control} onDone={() => setOpen(false)} />
          </DialogContent>
        </Dialog>
      )}
    </TileFrame>
  );
}
