import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Switch from '@mui/material/Switch';
import { useDeferredValue, useState } from 'react';
import type { Came, Errand } from '../api/client';
import { useMay } from '../api/may';
import { mono } from '../app/theme';
import { words } from '../app/words';
import { Line } from '../house/Line';
import { Note } from '../shared/Panel';
import { cameLine, dueLine, insert } from './lines';
import { NamedPart, StepsField, WrittenForm } from './Named';
import {
  useCame,
  useErrandCheck,
  useErrandOffers,
  useErrands,
  useRemoveErrand,
  useRunErrand,
  useSaveErrand,
  useSwitchErrand,
} from './queries';

// ErrandsPart is what the house does by itself: each is one sentence, with when it is due, and why it ran or did not.
export function ErrandsPart({ arrange }: { arrange: boolean }) {
  const errands = useErrands();
  return (
    <NamedPart
      title={words.errands.title}
      add={words.errands.add}
      none={words.errands.none}
      list={errands}
      arrange={arrange}
      form={(onDone) => <ErrandForm onDone={onDone} />}
      line={(e) => <ErrandLine key={e.name} errand={e} arrange={arrange} />}
    />
  );
}

// about is what there is to know of an errand, in a few words.
function about(e: Errand): string[] {
  return [
    e.error ?? '',
    e.on ? '' : words.errands.off,
    e.holding ? words.errands.holds : '',
    e.next ? words.errands.due(dueLine(e.next)) : '',
    e.last ? cameLine(e.last) : '',
    e.gone.length > 0 ? words.automate.gone(e.gone) : '',
  ].filter(Boolean);
}

function ErrandLine({ errand: e, arrange }: { errand: Errand; arrange: boolean }) {
  const may = useMay();
  const [open, setOpen] = useState(false);
  const run = useRunErrand();
  const turn = useSwitchErrand();
  const trouble = run.error ?? turn.error;
  return (
    <Box sx={{ '& + &': { borderTop: '1px dotted', borderColor: 'divider' } }}>
      <Line name={e.name} about={about(e)}>
        {may('use') && (
          <Button
            size="small"
            aria-label={words.automate.runName(e.name)}
            disabled={run.isPending || !!e.error}
            onClick={() => run.mutate(e.name)}
          >
            {words.automate.run}
          </Button>
        )}
        <Button
          size="small"
          aria-label={words.errands.openName(e.name)}
          aria-expanded={open}
          onClick={() => setOpen(!open)}
        >
          {words.errands.open}
        </Button>
        {arrange && (
          <Switch
            checked={e.on}
            disabled={turn.isPending || !!e.error}
            slotProps={{ input: { 'aria-label': words.errands.switchName(e.name) } }}
            onChange={(_, on) => turn.mutate({ errand: e.name, on })}
          />
        )}
      </Line>
      {e.text && <Sentence text={e.text} />}
      {trouble && <Note alert>{trouble.message}</Note>}
      {open && <Why errand={e.name} />}
      {open && arrange && <ErrandForm errand={e} onDone={() => setOpen(false)} />}
    </Box>
  );
}

// Sentence is an errand as it is written.
function Sentence({ text }: { text: string }) {
  return (
    <Box
      component="p"
      sx={{
        fontFamily: mono,
        fontSize: 14,
        m: 0,
        pb: 1.5,
        color: 'text.secondary',
        overflowWrap: 'anywhere',
      }}
    >
      {text.replace(/^errand \S+\s/, '')}
    </Box>
  );
}

// Why is what came for an errand lately, and what was made of it.
function Why({ errand }: { errand: string }) {
  const came = useCame(errand);
  if (came.error) return <Note alert>{came.error.message}</Note>;
  if (came.data?.length === 0) return <Note>{words.errands.nothingCame}</Note>;
  return (
    <Box component="ul" aria-label={words.errands.why} sx={{ m: 0, pb: 1, pl: 2.5, maxWidth: '80ch' }}>
      {came.data?.slice(0, 10).map((c: Came) => (
        <li key={c.at + c.cue}>
          {dueLine(c.at)}, {c.cue}: {cameLine(c)}
        </li>
      ))}
    </Box>
  );
}

// ErrandForm writes an errand, a new one where none is given. How it is understood, and what may stand next, is shown
// while it is typed.
function ErrandForm({ errand, onDone }: { errand?: Errand; onDone: () => void }) {
  const [text, setText] = useState(errand?.text ?? 'errand ');
  const save = useSaveErrand(errand?.name);
  const remove = useRemoveErrand();
  const settled = useDeferredValue(text);
  const check = useErrandCheck(settled);
  const offers = useErrandOffers(settled);
  return (
    <WrittenForm
      was={errand}
      ready={!!check.data}
      save={save}
      remove={remove}
      onSave={() => save.mutate(text, { onSuccess: onDone })}
      onRemove={() => errand && remove.mutate(errand.name)}
      onDone={onDone}
    >
      <StepsField label={words.errands.sentence} how={words.errands.how} value={text} onChange={setText} />
      <Box
        role="group"
        aria-label={words.errands.offers}
        sx={{ display: 'flex', flexWrap: 'wrap', gap: 0.75, minHeight: 40 }}
      >
        {offers.data?.offers.slice(0, 16).map((o) => (
          <Button
            key={o.kind + o.text}
            size="small"
            variant="outlined"
            sx={{ minWidth: 0, fontWeight: o.kind === 'word' ? 400 : 600 }}
            onClick={() => setText(insert(text, offers.data.typed, o.text))}
          >
            {o.text}
          </Button>
        ))}
      </Box>
      <Box role="status" sx={{ minHeight: 24, color: check.error ? 'text.secondary' : 'text.primary' }}>
        {check.error?.message}
        {check.data &&
          (check.data.next[0]
            ? words.errands.understood(dueLine(check.data.next[0]))
            : words.errands.understoodNow)}
      </Box>
    </WrittenForm>
  );
}
