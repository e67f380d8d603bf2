import Button from '@mui/material/Button';
import { Link } from 'react-router';
import { useMay } from '../api/may';
import { useDevice } from '../api/queries';
import { words } from '../app/words';
import { Note } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { clock, label } from '../shared/text';
import { Really } from './Really';
import { useStates, useUndoSet } from './queries';
import { from, gauge } from './state';

// Known is what is known of a control: how far it is trusted, since when and from where, and what it was before; where
// a person says what it really is, and takes back what was set.
export function Known({
  device,
  name,
  page,
  onDone,
}: {
  device: string;
  name: string;
  page?: boolean; // lead to the device's page
  onDone: () => void;
}) {
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
        {is.deaf && ` · ${words.controls.deaf}`}
        {(is.wrong ?? 0) > 0 && ` · ${words.controls.wrong(is.wrong ?? 0)}`}
      </p>
      {(is.beside ?? []).map((g) => (
        <p key={g.name}>
          {words.controls.measured(gauge(g))} ({g.name}
          {g.at ? `, ${clock(g.at)}` : ''})
        </p>
      ))}
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
      <Failed of={[undo]} />
      <div className="row" style={{ marginTop: '1rem' }}>
        <Button
          variant="outlined"
          disabled={undo.isPending}
          onClick={() => undo.mutate(undefined, { onSuccess: onDone })}
          title={there ? undefined : words.boards.undoHow}
        >
          {words.controls.undo}
        </Button>
        {page && (
          <Button component={Link} to={`/devices/${device}`}>
            {words.boards.page}
          </Button>
        )}
        <Button onClick={onDone}>{words.boards.close}</Button>
      </div>
    </>
  );
}
