import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useDeferredValue, useState } from 'react';
import type { Errand as Kept } from '../api/client';
import { dueLine, insert } from '../automate/lines';
import { StepsField, WrittenForm } from '../automate/Named';
import { words } from '../app/words';
import { useNames } from './names';
import { Parts } from './Parts';
import { useErrandCheck, useErrandOffers, useRemoveErrand, useSaveErrand } from './queries';
import { RehearsalView } from './RehearsalView';
import { Sentence } from './Sentence';
import { print, type Errand } from './tree';

// ErrandForm writes an errand, a new one where none is given: by its parts, or typed. Both are one sentence, which is
// shown and checked while it is written.
export function ErrandForm({ errand, start, onDone }: { errand?: Kept; start?: string; onDone: () => void }) {
  const [text, setText] = useState(errand?.text ?? start ?? '');
  const [tree, setTree] = useState<Errand | null>(null); // as the parts have it; null as the text is read
  const [typed, setTyped] = useState(!!errand || !!start);
  const [rehearses, setRehearses] = useState(false);
  const names = useNames();
  const [seen] = useState(errand?.version); // somebody else may write it meanwhile
  const save = useSaveErrand(errand?.name, seen);
  const remove = useRemoveErrand();
  const settled = useDeferredValue(text);
  const check = useErrandCheck(settled);
  const read = check.data?.tree as Errand | undefined;
  const parts = tree ?? read ?? (text.trim() === '' ? fresh : undefined);
  const edit = (next: Errand) => {
    setTree(next);
    setText(print(next));
  };
  return (
    <WrittenForm
      was={errand}
      ready={!!check.data && settled === text}
      save={save}
      remove={remove}
      onSave={() => save.mutate(text, { onSuccess: onDone })}
      onRemove={() => errand && remove.mutate(errand.name)}
      onDone={onDone}
    >
      <Box role="group" aria-label={words.errands.form} sx={{ display: 'flex', gap: 1 }}>
        <Button
          size="small"
          variant={typed ? 'outlined' : 'contained'}
          aria-pressed={!typed}
          onClick={() => setTyped(false)}
        >
          {words.errands.parts}
        </Button>
        <Button
          size="small"
          variant={typed ? 'contained' : 'outlined'}
          aria-pressed={typed}
          onClick={() => {
            if (text.trim() === '') setText('errand ');
            setTree(null);
            setTyped(true);
          }}
        >
          {words.errands.typed}
        </Button>
      </Box>
      {typed && <Typed text={text} onChange={setText} />}
      {!typed && !parts && !check.isPending && (
        <Box sx={{ color: 'text.secondary' }}>{words.errands.mend}</Box>
      )}
      {!typed && parts && names.ready && <Parts errand={parts} names={names} onChange={edit} />}
      {!typed && text.trim() !== '' && (
        <Box
          role="group"
          aria-label={words.errands.reads}
          sx={{ borderTop: 1, borderBottom: 1, borderColor: 'divider', py: 1 }}
        >
          <Sentence text={text} />
        </Box>
      )}
      <Box role="status" sx={{ minHeight: 24, color: check.error ? 'text.secondary' : 'text.primary' }}>
        {text.trim() !== '' && check.error?.message}
        {check.data &&
          (check.data.next[0]
            ? words.errands.understood(dueLine(check.data.next[0]))
            : words.errands.understoodNow)}
        {check.data?.odd.map((o) => (
          <Box key={o} sx={{ color: 'transmitted' }}>
            {words.errands.odd(o)}
          </Box>
        ))}
      </Box>
      {check.data && (
        <Box>
          <Button
            size="small"
            aria-expanded={rehearses}
            onClick={() => setRehearses(!rehearses)}
            sx={{ pl: 0 }}
          >
            {words.errands.rehearse}
          </Button>
          {rehearses && <RehearsalView key={settled} text={settled} errand={errand?.name} />}
        </Box>
      )}
    </WrittenForm>
  );
}

// fresh is what a new errand begins with.
const fresh: Errand = { name: '', when: [{ sun: 'dusk' }], do: [] };

// Typed is the sentence as text, with what may stand next.
function Typed({ text, onChange }: { text: string; onChange: (text: string) => void }) {
  const offers = useErrandOffers(useDeferredValue(text));
  return (
    <>
      <StepsField label={words.errands.sentence} how={words.errands.how} value={text} onChange={onChange} />
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
            onClick={() => onChange(insert(text, offers.data.typed, o.text))}
          >
            {o.text}
          </Button>
        ))}
      </Box>
    </>
  );
}
