import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Typography from '@mui/material/Typography';
import type { ReactNode } from 'react';
import type { Lesson, LessonStep, Take } from '../api/client';
import { useLessonStep, usePress } from './queries';
import { mono } from '../app/theme';
import { words } from '../app/words';
import { KeyButton } from '../shared/KeyButton';
import { Note, Panel } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { fields } from '../shared/text';
import { Waveform } from '../shared/Waveform';
import { CodePart } from './CodePart';
import { FreeKeys } from './FreeKeys';
import { LessonKeys } from './LessonKeys';

type Props = { lesson: Lesson; onAgain: () => void; children?: ReactNode };

// LessonRun is a lesson as it goes: one big prompt, what was heard last, and how far it is.
export function LessonRun({ lesson, onAgain, children }: Props) {
  const step = useLessonStep(lesson.id);
  const settled = lesson.keys.filter((k) => k.state === 'settled');
  const running = lesson.state === 'running';
  const refused = running && lesson.last?.allowable && lesson.last.key === (lesson.key ?? '');
  return (
    <>
      <Box
        aria-live="assertive"
        sx={{
          py: { xs: 2, md: 3 },
          borderTop: 2,
          borderColor: 'text.primary',
          mt: 1,
          minHeight: { xs: 150, md: 140 }, // two lines: the buttons below keep their place
        }}
      >
        <Typography variant="h1" component="p" sx={{ fontSize: { xs: '1.9rem', md: '2.4rem' } }}>
          {lesson.prompt}
        </Typography>
        <Box sx={{ color: 'text.secondary', mt: 0.5 }}>
          {words.lesson.progress(settled.length, lesson.keys.length)}
          {running &&
            lesson.takes.length > 0 &&
            ` · ${words.lesson.takes(lesson.takes.length + 1, Math.max(lesson.needed, lesson.takes.length + 1))}`}
        </Box>
      </Box>
      <Steps lesson={lesson} onStep={(s) => step.mutate(s)} onAgain={onAgain} />
      <Failed of={[step]} />
      {running && lesson.hint && <Note alert>{lesson.hint}</Note>}
      <Panel title={words.lesson.heard}>
        {lesson.last ? <Heard take={lesson.last} /> : <Note>{words.lesson.nothing}</Note>}
        {refused && (
          <Button variant="outlined" sx={{ mt: 1, ml: 2.25 }} onClick={() => step.mutate({ do: 'accept' })}>
            {words.lesson.accept}
          </Button>
        )}
      </Panel>
      {running && lesson.key && (
        <CodePart
          key={lesson.key}
          of={lesson.key}
          busy={step.isPending}
          onCode={(code) => step.mutate({ do: 'code', code })}
        />
      )}
      {lesson.free && <FreeKeys lesson={lesson} />}
      {children}
      {!lesson.free && <LessonKeys lesson={lesson} onRedo={(key) => step.mutate({ do: 'redo', key })} />}
      {settled.length > 0 && <TryIt device={lesson.device} keys={settled.map((k) => k.name)} />}
    </>
  );
}

type StepsProps = { lesson: Lesson; onStep: (step: LessonStep) => void; onAgain: () => void };

// Steps is what can be done in a lesson, at a place that does not move when something is heard.
function Steps({ lesson, onStep, onAgain }: StepsProps) {
  if (lesson.state === 'paused')
    return (
      <Button variant="outlined" onClick={() => onStep({ do: 'resume' })}>
        {words.lesson.resume}
      </Button>
    );
  if (lesson.state !== 'running')
    return (
      <Button variant="outlined" onClick={onAgain}>
        {words.lesson.again}
      </Button>
    );
  return (
    <Box sx={{ display: 'flex', gap: 1, flexWrap: 'wrap' }}>
      {!lesson.free && (
        <>
          <Button variant="outlined" onClick={() => onStep({ do: 'skip' })}>
            {words.lesson.skip}
          </Button>
          <Button variant="outlined" onClick={() => onStep({ do: 'back' })}>
            {words.lesson.back}
          </Button>
        </>
      )}
      <Button onClick={() => onStep({ do: 'pause' })}>{words.lesson.pause}</Button>
      <Button onClick={() => onStep({ do: 'finish' })}>{words.lesson.finish}</Button>
    </Box>
  );
}

function Heard({ take }: { take: Take }) {
  return (
    <Box sx={{ borderLeft: 3, borderColor: take.accepted ? 'received' : 'secondary.main', pl: 2 }}>
      <Box sx={{ fontWeight: 600, fontSize: 17 }}>{take.text}</Box>
      <Waveform train={take.train} />
      <Box sx={{ fontFamily: mono, fontSize: 14, overflowWrap: 'anywhere' }}>
        {take.reading ? `${take.reading.sheet}: ${fields(take.reading.fields)}` : words.bench.noCode}
      </Box>
    </Box>
  );
}

function TryIt({ device, keys }: { device: string; keys: string[] }) {
  const press = usePress();
  return (
    <Panel title={words.lesson.tryIt}>
      <Note>{words.lesson.tryHow}</Note>
      <Box
        sx={{
          display: 'grid',
          gridTemplateColumns: 'repeat(auto-fill, minmax(104px, 1fr))',
          gap: 1,
          maxWidth: 520,
        }}
      >
        {keys.map((key) => (
          <KeyButton
            key={key}
            name={key}
            state={press.isPending && press.variables.key === key ? 'sending' : 'plain'}
            onPress={() => press.mutate({ device, key })}
          />
        ))}
      </Box>
      <Failed of={[press]} />
    </Panel>
  );
}
