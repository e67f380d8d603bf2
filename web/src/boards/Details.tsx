import Dialog from '@mui/material/Dialog';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import type { Tile, TileState } from '../api/client';
import { words } from '../app/words';
import { Note } from '../shared/Panel';
import { Known } from '../controls/Known';
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
          <Known device={tile.device} name={tile.faces[0]?.control ?? ''} page onDone={onDone} />
        ) : (
          <Note>{words.boards.several}</Note>
        )}
      </DialogContent>
    </Dialog>
  );
}
