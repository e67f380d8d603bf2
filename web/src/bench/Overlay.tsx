import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useMemo, useState } from 'react';
import type { Capture, CaptureDetail, Comparison } from '../api/client';
import { useCaptures } from '../api/queries';
import { words } from '../app/words';
import { Failed } from '../shared/Failed';
import { Note, Panel } from '../shared/Panel';
import { clock } from '../shared/text';
import { names, what } from './CaptureList';
import type { Row } from './draw';
import { Handles, type Laid } from './Handles';
import { useComparisons } from './queries';
import { Trace } from './Trace';
import { changed, edges, placeOf } from './trace';

// most is how many signals may lie beside the first one.
const most = 6;

type Props = { first: CaptureDetail; over: string[]; onOver: (ids: string[]) => void };

// Overlay lays other captures over the one on the bench: all on one axis, one below another, each where it fits the first
// one best. Bits that are not the same are marked.
export function Overlay({ first, over, onOver }: Props) {
  const captures = useCaptures();
  const all = captures.data ?? [];
  const others = all.filter((c) => c.id !== first.capture.id && !over.includes(c.id));
  const comparisons = useComparisons(first.capture.id, over);
  const [laid, setLaid] = useState<Laid>();
  const lay = (ids: string[]) => {
    setLaid(undefined); // by hand was for the one that lay there before
    onOver(ids);
  };
  const only = over.length === 1 ? comparisons.found[0] : undefined;
  if (others.length === 0 && over.length === 0) return null;
  return (
    <Panel title={words.bench.overlay}>
      {over.length < most ? (
        <TextField
          select
          label={words.bench.another}
          value=""
          onChange={(e) => lay([...over, e.target.value])}
          sx={{ maxWidth: 620 }}
        >
          <MenuItem value="" disabled>
            {words.bench.chooseOther}
          </MenuItem>
          {others.map((c) => (
            <MenuItem key={c.id} value={c.id}>
              {called(c)}
            </MenuItem>
          ))}
        </TextField>
      ) : (
        <Note>{words.bench.mostOthers(most)}</Note>
      )}
      <Failed of={[comparisons]} />
      <Names
        of={[{ id: first.capture.id, text: called(first.capture) }].concat(
          over.map((id, i) => ({ id, text: lineOf(all, id, comparisons.found[i]) })),
        )}
        onTake={(id) => lay(over.filter((o) => o !== id))}
      />
      {comparisons.drawn.length > 0 && <Drawing of={comparisons.drawn} laid={only && laid} />}
      {only && <Handles of={only} laid={laid} onLaid={setLaid} />}
    </Panel>
  );
}

// called says when a capture was heard, which key it is, and what was read of it.
function called(c: Capture): string {
  return [clock(c.at), names(c), what(c)].filter(Boolean).join(' · ');
}

function lineOf(all: Capture[], id: string, of: Comparison | undefined): string {
  const c = all.find((o) => o.id === id);
  return `${c ? called(c) : id}${of ? `. ${of.words}` : ''}`;
}

// Names lists the signals in the order in which they are drawn.
function Names({ of, onTake }: { of: { id: string; text: string }[]; onTake: (id: string) => void }) {
  if (of.length < 2) return null;
  return (
    <Box component="ol" sx={{ my: 2, pl: 3, display: 'grid', gap: 0.5, maxWidth: '75ch' }}>
      {of.map((one, n) => (
        <Box component="li" key={one.id} sx={{ '&::marker': { fontWeight: 700 } }}>
          <Box component="span" sx={{ color: n === 0 ? 'received' : undefined }}>
            {one.text}
          </Box>{' '}
          {n > 0 && (
            <Button size="small" aria-label={words.bench.takeAway(n + 1)} onClick={() => onTake(one.id)}>
              {words.bench.takeAwayShort}
            </Button>
          )}
        </Box>
      ))}
    </Box>
  );
}

// Drawing draws the frames, the others stretched in time to the clock of the first, or as the handles say.
function Drawing({ of, laid }: { of: { number: number; of: Comparison }[]; laid?: Laid }) {
  const rows = useMemo(() => {
    const first = of[0]?.of;
    if (!first) return [];
    const marked = [...new Set(of.flatMap((c) => c.of.differing))];
    const out: Row[] = [
      {
        times: edges(first.a),
        colour: 'received',
        name: '1',
        labels: first.spans_a,
        marked: changed(first.spans_a, marked),
      },
    ];
    of.forEach(({ number, of: c }) => {
      const place = laid ?? { stretch: 1 / c.length, shift: placeOf(c) };
      out.push({
        times: edges(c.b, place.stretch, place.shift),
        colour: 'text-primary',
        name: String(number),
        labels: c.spans_b,
        marked: changed(c.spans_b, c.differing),
      });
    });
    return out;
  }, [of, laid]);
  const view = useMemo(() => {
    const end = Math.max(
      ...of.flatMap(({ of: c }) => [edges(c.a).at(-1) ?? 1, (edges(c.b).at(-1) ?? 1) / c.length]),
    );
    return { min: -0.02 * end, max: 1.05 * end };
  }, [of]);
  return (
    <>
      <Trace
        rows={rows}
        view={view}
        height={40 + 90 * rows.length}
        name={words.bench.overlayDrawing(rows.length)}
      />
      {rows.some((r) => r.marked?.length) && <Note>{words.bench.boxed}</Note>}
    </>
  );
}
