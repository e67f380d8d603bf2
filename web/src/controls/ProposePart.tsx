import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useState } from 'react';
import type { Control, Device, Question } from '../api/client';
import { words } from '../app/words';
import { Note, Panel } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { label } from '../shared/text';
import { EditControls } from './EditControls';
import { Named } from './Named';
import { Questions, answered } from './Questions';
import { useAnswer, useProposal } from './queries';

// ProposePart shows the controls that a device's keys suggest. What no key tells is asked, and can be tried on
// the spot.
export function ProposePart({ device }: { device: Device }) {
  const learned = device.keys.filter((k) => k.codes.length > 0);
  const proposal = useProposal(device.slug, device.keys.map((k) => k.name).join(' '));
  const [asking, setAsking] = useState(false);
  const controls = (proposal.data?.controls ?? []) as Control[];
  const [byHand, setByHand] = useState(false);
  if (byHand) {
    return (
      <Panel title={words.controls.title}>
        <EditControls device={device} onDone={() => setByHand(false)} />
      </Panel>
    );
  }
  const hand = (
    <Button size="small" onClick={() => setByHand(true)}>
      {words.controls.byHand}
    </Button>
  );
  if (learned.length === 0 || controls.length === 0) {
    return (
      <Panel title={words.controls.title} aside={hand}>
        <Note>{words.controls.none}</Note>
      </Panel>
    );
  }
  return (
    <Panel title={words.controls.title} aside={hand}>
      <Note>{words.controls.suggested(controls.map((c) => label(c.name)).join(', '))}</Note>
      {asking ? (
        <Wizard device={device} controls={controls} questions={proposal.data?.questions ?? []} />
      ) : (
        <Button variant="outlined" onClick={() => setAsking(true)}>
          {words.controls.addThem}
        </Button>
      )}
    </Panel>
  );
}

// Wizard asks the few questions that matter. An empty answer leaves it as it is.
function Wizard({
  device,
  controls,
  questions,
}: {
  device: Device;
  controls: Control[];
  questions: Question[];
}) {
  const [answers, setAnswers] = useState<Record<string, string>>({});
  const [left, setLeft] = useState<string[]>([]);
  const keep = useAnswer(device.slug);
  const submit = () =>
    keep.mutate({
      controls: controls.filter((c) => !left.includes(c.name)),
      answers: answered(
        questions.filter((q) => !left.includes(q.control)),
        answers,
      ),
    });
  return (
    <Box
      component="form"
      sx={{ display: 'grid', gap: 2, maxWidth: 620 }}
      onSubmit={(e) => {
        e.preventDefault();
        submit();
      }}
    >
      {controls.map((c) => (
        <Box
          key={c.name}
          component="section"
          aria-label={label(c.name)}
          sx={{ borderTop: '1px dotted', borderColor: 'divider', pt: 1 }}
        >
          <Box sx={{ display: 'flex', justifyContent: 'space-between', alignItems: 'center' }}>
            <Named control={c} />
            <Button
              size="small"
              aria-pressed={left.includes(c.name)}
              onClick={() =>
                setLeft(left.includes(c.name) ? left.filter((n) => n !== c.name) : [...left, c.name])
              }
            >
              {left.includes(c.name) ? words.controls.take : words.controls.leave}
            </Button>
          </Box>
          {!left.includes(c.name) && (
            <Questions
              device={device.slug}
              questions={questions.filter((q) => q.control === c.name)}
              answers={answers}
              onChange={setAnswers}
            />
          )}
        </Box>
      ))}
      <Failed of={[keep]} />
      <Button type="submit" variant="contained" disabled={keep.isPending} sx={{ justifySelf: 'start' }}>
        {words.controls.keep}
      </Button>
    </Box>
  );
}
