import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { Link } from 'react-router';
import type { Tile, TileState } from '../api/client';
import { useMay } from '../api/may';
import { words } from '../app/words';
import { label } from '../shared/text';
import { control, faceSize } from './face';
import { ControlFace } from './faces';
import { OccasionPart } from './OccasionPart';
import { Said } from './Said';
import { useUse } from './useUse';

type Props = { board: string; tile: Tile; state?: TileState; onDone: () => void };

// Sheet is all that a tile's device has, or all that can be done with its occasion.
export default function Sheet({ board, tile, state, onDone }: Props) {
  const name = tile.title ?? tile.name;
  return (
    <Dialog open onClose={onDone} fullWidth maxWidth="sm" aria-labelledby="sheet-title">
      <DialogTitle id="sheet-title">{name}</DialogTitle>
      <DialogContent className="board">
        {tile.kind === 'occasion' ? (
          <OccasionPart board={board} tile={tile} state={state} onDone={onDone} />
        ) : (
          <DevicePart board={board} tile={tile} state={state} onDone={onDone} />
        )}
      </DialogContent>
    </Dialog>
  );
}

function DevicePart({ board, tile, state, onDone }: Props) {
  const use = useUse(board, tile.id);
  const may = useMay();
  return (
    <>
      <div className="tiles">
        {tile.faces.map((f) => (
          <div key={f.control} className={`tile ${faceSize(f)}`}>
            <ControlFace face={f} is={control(state, f.control)} name={label(f.control)} use={use} />
          </div>
        ))}
      </div>
      <Said use={use} name={use.asks ? label(use.asks.control) : tile.name} />
      {tile.keys.length > 0 && (
        <div className="row" style={{ marginTop: '1rem' }}>
          {tile.keys.map((k) => (
            <button key={k} type="button" className="square text" onClick={() => use.press(k)}>
              {label(k)}
            </button>
          ))}
        </div>
      )}
      <div className="row" style={{ marginTop: '1rem' }}>
        {tile.device && may('see') && (
          <Button component={Link} to={`/devices/${tile.device}`}>
            {words.boards.page}
          </Button>
        )}
        <Button onClick={onDone}>{words.boards.close}</Button>
      </div>
    </>
  );
}
