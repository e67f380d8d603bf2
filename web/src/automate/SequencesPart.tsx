import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import type { Run, Sequence } from '../api/client';
import { useMay } from '../api/may';
import { mono } from '../app/theme';
import { words } from '../app/words';
import { Line } from '../house/Line';
import { Note, Panel } from '../shared/Panel';
import { runLine } from './lines';
import { useRemoveSequence, useRuns, useRunSequence, useSaveSequence, useSequences } from './queries';

// SequencesPart is the named steps of the house: run them, and write them.
export function SequencesPart({ arrange }: { arrange: boolean }) {
  const sequences = useSequences();
  const runs = useRuns();
  const [adding, setAdding] = useState(false);
  return (
    <Panel
      title={words.automate.sequences}
      aside={
        arrange &&
        !adding && (
          <Button size="small" onClick={() => setAdding(true)}>
            {words.automate.addSequence}
          </Button>
        )
      }
    >
      {sequences.error && <Note alert>{sequences.error.message}</Note>}
      {adding && <SequenceForm onDone={() => setAdding(false)} />}
      {sequences.data?.length === 0 && !adding && <Note>{words.automate.noSequences}</Note>}
      {sequences.data?.map((s) => (
        <SequenceLine
          key={s.slug}
          sequence={s}
          last={runs.data?.find((r) => r.name === s.slug)}
          arrange={arrange}
        />
      ))}
    </Panel>
  );
}

function SequenceLine({ sequence, last, arrange }: { sequence: Sequence; last?: Run; arrange: boolean }) {
  const run = useRunSequence();
  const may = useMay();
  const [open, setOpen] = useState(false);
  const gone = (sequence.gone?.length ?? 0) > 0 ? words.automate.gone(sequence.gone ?? []) : '';
  const came = last && last.phase === 'ended' && last.end !== 'done' ? runLine(last) : '';
  const trouble = sequence.error ?? run.error?.message;
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
      {trouble && <Note alert>{trouble}</Note>}
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
  const [name, setName] = useState(sequence?.name ?? '');
  const [steps, setSteps] = useState(sequence?.steps ?? '');
  const save = useSaveSequence(sequence?.slug);
  const remove = useRemoveSequence();
  const [sure, setSure] = useState(false);
  const trouble = save.error ?? remove.error;
  return (
    <Box
      component="form"
      sx={{ display: 'grid', gap: 1.5, py: 1.5, maxWidth: 720 }}
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate({ name, steps }, { onSuccess: onDone });
      }}
    >
      <TextField
        label={words.automate.name}
        value={name}
        autoFocus={!sequence}
        sx={{ maxWidth: 320 }}
        slotProps={{ htmlInput: { maxLength: 80 } }}
        onChange={(e) => setName(e.target.value)}
      />
      <TextField
        label={words.automate.steps}
        value={steps}
        multiline
        minRows={3}
        helperText={words.automate.how}
        slotProps={{
          htmlInput: { maxLength: 32_768, spellCheck: false, style: { fontFamily: mono, fontSize: 14 } },
        }}
        onChange={(e) => setSteps(e.target.value)}
      />
      {trouble && <Note alert>{trouble.message}</Note>}
      <Box sx={{ display: 'flex', gap: 1, flexWrap: 'wrap' }}>
        <Button type="submit" variant="contained" disabled={!name.trim() || !steps.trim() || save.isPending}>
          {words.automate.save}
        </Button>
        <Button onClick={onDone}>{words.devices.cancel}</Button>
        {sequence && (
          <Button
            sx={{ ml: 'auto', color: 'secondary.main' }}
            disabled={remove.isPending}
            onClick={() => (sure ? remove.mutate(sequence.slug) : setSure(true))}
          >
            {sure ? words.automate.removeSure(sequence.name) : words.automate.remove}
          </Button>
        )}
      </Box>
    </Box>
  );
}
