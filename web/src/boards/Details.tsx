import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { Link } from 'react-router';
import type { Tile, TileState } from '../api/client';
import { useMay } from '../api/may';
import { Really } from '../controls/Really';
import { useStates, useUndoSet } from '../controls/queries';
import { from } from '../controls/state';
import { useDevice } from '../api/queries';
import { words } from '../app/words';
import { Note } from '../shared/Panel';
import { clock, label } from '../shared/text';
import { OccasionPart } from './OccasionPart';

// Details is what a tile does not say on its face: how far it is trusted, and since when; undo; what it is really at.
export default function Details({
  board,
  tile,
  state,
  onDone,
}: {
  board: string;
  tile: Tile;
  state?: TileState;
  onDone: () => void;
}) {
  return (
    <Dialog open onClose={onDone} fullWidth maxWidth="sm" aria-labelledby="details-title">
      <DialogTitle id="details-title">{tile.title ?? tile.name}</DialogTitle>
      <DialogContent className="board">
        {tile.kind === 'occasion' ? (
          <OccasionPart board={board} tile={tile} state={state} onDone={onDone} />
        ) : tile.device ? (
          <Known device={tile.device} name={tile.faces[0]?.control ?? ''} onDone={onDone} />
        ) : (
          <Note>{words.boards.several}</Note>
        )}
      </DialogContent>
    </Dialog>
  );
}

function Known({ device, name, onDone }: { device: string; name: string; onDone: () => void }) {
  const states = useStates(device);
  const one = useDevice(device);
  const { undo, there } = useUndoSet(device);
  const may = useMay();
  const is = states.data?.find((s) => s.control === name);
  const form = one.data?.controls?.find((c) => c.name === name);
  if (states.error) return <Note alert>{states.error.message}</Note>;
  if (!is) return null;
  return (
    <>
      <p>
        {words.controls.trust[is.word]}: {from(is)}
      </p>
      {!is.value && is.may.length > 0 && <p>{words.boards.may(is.may.map(label).join(words.controls.or))}</p>}
      {is.history.length > 1 && (
        <ul style={{ margin: 0, paddingLeft: '1.2rem' }}>
          {is.history.slice(0, 5).map((h, n) => (
            <li key={n}>
              {label(h.value)}
              {h.at && `, ${clock(h.at)}`}
              {h.source && `, ${words.controls.sources[h.source as keyof typeof words.controls.sources]}`}
            </li>
          ))}
        </ul>
      )}
      {may('tell') && form && one.data && (
        <div style={{ marginTop: '0.75rem' }}>
          <Really device={one.data} control={form} onDone={onDone} />
        </div>
      )}
      {undo.error && <Note alert>{undo.error.message}</Note>}
      <div className="row" style={{ marginTop: '1rem' }}>
        <Button
          variant="outlined"
          disabled={undo.isPending}
          onClick={() => undo.mutate(undefined, { onSuccess: onDone })}
          title={there ? undefined : words.boards.undoHow}
        >
          {words.controls.undo}
        </Button>
        <Button component={Link} to={`/devices/${device}`}>
          {words.boards.page}
        </Button>
        <Button onClick={onDone}>{words.boards.close}</Button>
      </div>
    </>
  );
}
