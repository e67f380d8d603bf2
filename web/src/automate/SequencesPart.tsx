import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useState } from 'react';
import type { Run, Sequence } from '../api/client';
import { useMay } from '../api/may';
import { mono } from '../app/theme';
import { words } from '../app/words';
import { Line } from '../house/Line';
import { Note } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { runLine } from './lines';
import { NamedForm, NamedPart, StepsField } from './Named';
import { useRemoveSequence, useRuns, useRunSequence, useSaveSequence, useSequences } from './queries';

// SequencesPart is the named steps of the house: run them, and write them.
export function SequencesPart({ arrange }: { arrange: boolean }) {
  const sequences = useSequences();
  const runs = useRuns();
  return (
    <NamedPart
      title={words.automate.sequences}
      add={words.automate.addSequence}
      none={words.automate.noSequences}
      list={sequences}
      arrange={arrange}
      form={(onDone) => <SequenceForm onDone={onDone} />}
      line={(s) => (
        <SequenceLine
          key={s.slug}
          sequence={s}
          last={runs.data?.find((r) => r.name === s.slug)}
          arrange={arrange}
        />
      )}
    />
  );
}

function SequenceLine({ sequence, last, arrange }: { sequence: Sequence; last?: Run; arrange: boolean }) {
  const run = useRunSequence();
  const may = useMay();
  const [open, setOpen] = useState(false);
  const gone = (sequence.gone?.length ?? 0) > 0 ? words.automate.gone(sequence.gone ?? []) : '';
  const came = last && last.phase === 'ended' && last.end !== 'done' ? runLine(last) : '';
  return (
    <Box sx={{ '& + &': { borderTop: '1px dotted', borderColor: 'divider' } }}>
      <Line name={sequence.name} about={[words.automate.count(sequence.count), gone, came]}>
        {may('use') && (
          <Button
            size="small"
            variant="outlined"
            aria-label={words.automate.runName(sequence.name)}
            disabled={run.isPending || (last !== undefined && last.phase !== 'ended') || !!sequence.error}
            onClick={() => run.mutate(sequence.slug)}
          >
            {words.automate.run}
          </Button>
        )}
        <Button
          size="small"
          aria-label={words.automate.stepsName(sequence.name)}
          aria-expanded={open}
          onClick={() => setOpen(!open)}
        >
          {words.automate.steps}
        </Button>
      </Line>
      {sequence.error ? <Note alert>{sequence.error}</Note> : <Failed of={[run]} />}
      {open &&
        (arrange && sequence.steps !== '' ? (
          <SequenceForm sequence={sequence} onDone={() => setOpen(false)} />
        ) : (
          <Box component="pre" sx={{ fontFamily: mono, fontSize: 14, whiteSpace: 'pre-wrap', m: 0, pb: 1.5 }}>
            {sequence.steps || words.automate.hidden}
          </Box>
        ))}
    </Box>
  );
}

// SequenceForm writes the steps of a sequence, of a new one where none is given.
function SequenceForm({ sequence, onDone }: { sequence?: Sequence; onDone: () => void }) {
  const [steps, setSteps] = useState(sequence?.steps ?? '');
  const save = useSaveSequence(sequence?.slug);
  const remove = useRemoveSequence();
  return (
    <NamedForm
      was={sequence}
      ready={steps.trim() !== ''}
      save={save}
      remove={remove}
      onSave={(name) => save.mutate({ name, steps }, { onSuccess: onDone })}
      onRemove={() => sequence && remove.mutate(sequence.slug)}
      onDone={onDone}
    >
      <StepsField label={words.automate.steps} how={words.automate.how} value={steps} onChange={setSteps} />
    </NamedForm>
  );
}
