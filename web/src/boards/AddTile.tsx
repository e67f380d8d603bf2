import { useQueries } from '@tanstack/react-query';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import { useGroups, useSequences } from '../automate/queries';
import { client, unwrap } from '../api/client';
import { keys, useDevices } from '../api/queries';
import { words } from '../app/words';
import { useErrands } from '../errand/queries';
import { useMeasurements } from '../measurements/queries';
import { label } from '../shared/text';
import { newID, type DraftTile } from './edit';
import { useOccasions } from './queries';

// most is how many things are listed: who has more searches.
const most = 40;

type Offer = { kind: DraftTile['kind']; of?: string; name: string };

// AddTile is a list of all that can stand on a board, to search in.
export function AddTile({ onAdd }: { onAdd: (tile: DraftTile) => void }) {
  const [text, setText] = useState('');
  const offers = useOffers();
  const wanted = text.toLowerCase().split(/\s+/).filter(Boolean);
  const found = offers.filter((o) =>
    wanted.every((w) => `${o.name} ${o.of ?? ''} ${o.kind}`.toLowerCase().includes(w)),
  );
  return (
    <section aria-label={words.boards.add} style={{ marginTop: '1.5rem' }}>
      <h2>{words.boards.add}</h2>
      <TextField
        label={words.boards.find}
        value={text}
        onChange={(e) => setText(e.target.value)}
        sx={{ maxWidth: 360 }}
      />
      <div className="row" style={{ marginTop: '0.75rem' }}>
        {found.slice(0, most).map((o) => (
          <button
            key={`${o.kind} ${o.of ?? o.name}`}
            type="button"
            className="square text"
            aria-label={words.boards.addOf(o.name, words.boards.kinds[o.kind])}
            onClick={() =>
              onAdd({
                id: newID(),
                kind: o.kind,
                name: o.name,
                ...(o.of && { of: o.of }),
                ...((o.kind === 'note' || o.kind === 'heading') && { text: words.boards.newText }),
              })
            }
          >
            {o.name}
            <span className="tile-hint">&nbsp;{words.boards.kinds[o.kind]}</span>
          </button>
        ))}
      </div>
      {found.length > most && <p className="tile-hint">{words.boards.andMore(found.length - most)}</p>}
      {found.length === 0 && <p className="tile-hint">{words.boards.noneFound}</p>}
    </section>
  );
}

// useOffers are all things that can stand on a board.
function useOffers(): Offer[] {
  const devices = useDevices();
  const groups = useGroups();
  const sequences = useSequences();
  const occasions = useOccasions();
  const errands = useErrands();
  const measurements = useMeasurements();
  const details = useQueries({
    queries: (devices.data ?? []).map((d) => ({
      queryKey: [...keys.devices, d.slug],
      queryFn: () => unwrap(client.GET('/api/devices/{device}', { params: { path: { device: d.slug } } })),
    })),
  });
  const out: Offer[] = [];
  for (const o of occasions.data ?? []) out.push({ kind: 'occasion', of: o.slug, name: o.name });
  for (const { data: d } of details) {
    if (!d) continue;
    for (const c of d.controls ?? []) {
      const name = c.name === 'power' ? d.name : `${d.name} ${label(c.name).toLowerCase()}`;
      out.push({ kind: 'control', of: `${d.slug}/${c.name}`, name });
    }
    out.push({ kind: 'device', of: d.slug, name: d.name });
    for (const k of d.keys) {
      if (k.codes.length)
        out.push({ kind: 'key', of: `${d.slug}/${k.name}`, name: `${d.name} ${label(k.name)}` });
    }
  }
  for (const g of groups.data ?? []) out.push({ kind: 'control', of: `${g.slug}/power`, name: g.name });
  for (const s of sequences.data ?? []) out.push({ kind: 'sequence', of: s.slug, name: s.name });
  for (const e of errands.data ?? []) out.push({ kind: 'errand', of: e.name, name: label(e.name) });
  for (const m of measurements.data ?? []) out.push({ kind: 'measurement', of: m.name, name: m.name });
  out.push(
    { kind: 'note', name: words.boards.kinds.note },
    { kind: 'heading', name: words.boards.kinds.heading },
  );
  return out;
}
