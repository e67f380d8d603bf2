import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useState, type SubmitEvent } from 'react';
import type { Lesson } from '../api/client';
import { useLessonStep } from './queries';
import { words } from '../app/words';
import { Note, Panel } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { label, slugged } from '../shared/text';

// FreeKeys are the keys of a lesson without prompts: each gets its name here, or is dropped.
export function FreeKeys({ lesson }: { lesson: Lesson }) {
  return (
    <Panel title={words.lesson.freeKeys}>
      {lesson.keys.length === 0 && <Note>{words.lesson.freeNone}</Note>}
      {lesson.keys.map((k) => (
        <FreeKey key={k.name} lesson={lesson} of={k} />
      ))}
    </Panel>
  );
}

function FreeKey({ lesson, of }: { lesson: Lesson; of: Lesson['keys'][number] }) {
  const step = useLessonStep(lesson.id);
  const [name, setName] = useState('');
  const over = lesson.state === 'ended';
  const wanted = slugged(name);
  const submit = (e: SubmitEvent) => {
    e.preventDefault();
    if (wanted) step.mutate({ do: 'name', key: of.name, as: wanted });
  };
  return (
    <Box
      component="form"
      onSubmit={submit}
      data-key={of.name}
      sx={{
        display: 'grid',
        gridTemplateColumns: 'minmax(0, 1fr) auto auto',
        columnGap: 1,
        alignItems: 'end',
        maxWidth: 520,
        py: 1,
        '& + &': { borderTop: '1px dotted', borderColor: 'divider' },
      }}
    >
      <Box sx={{ gridColumn: '1 / -1' }}>
        <strong>{label(of.name)}</strong>{' '}
        <Box component="span" sx={{ color: 'text.secondary', fontSize: 14 }}>
          {of.state === 'settled'
            ? words.lesson.states.settled
            : words.lesson.pressAgain(of.takes ?? 1, lesson.needed)}
        </Box>
      </Box>
      {!over && (
        <>
          <TextField
            label={words.lesson.nameFor(label(of.name))}
            value={name}
            slotProps={{ htmlInput: { maxLength: 40 } }}
            onChange={(e) => setName(e.target.value)}
          />
          <Button type="submit" disabled={!wanted}>
            {words.lesson.name}
          </Button>
          <Button
            aria-label={words.lesson.drop(label(of.name))}
            onClick={() => step.mutate({ do: 'drop', key: of.name })}
          >
            {words.lesson.dropShort}
          </Button>
        </>
      )}
      <Failed of={[step]} />
    </Box>
  );
}
