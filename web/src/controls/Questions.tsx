import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import type { Question } from '../api/client';
import { words } from '../app/words';
import { usePress } from '../devices/queries';
import { Failed } from '../shared/Failed';
import { label } from '../shared/text';

// idOf tells questions apart.
export const idOf = (q: Question) => `${q.control} ${q.field}`;

// Questions asks what no key tells. What stands is shown; an empty answer leaves it. A key that shows the answer can be
// tried on the spot.
export function Questions({
  device,
  questions,
  answers,
  onChange,
}: {
  device: string;
  questions: Question[];
  answers: Record<string, string>;
  onChange: (answers: Record<string, string>) => void;
}) {
  const press = usePress();
  return (
    <>
      {questions.map((q) => (
        <Box key={idOf(q)} sx={{ display: 'flex', alignItems: 'flex-end', gap: 1, mt: 1 }}>
          <TextField
            label={q.text}
            value={answers[idOf(q)] ?? ''}
            helperText={q.stands ? words.controls.stands(q.how, q.stands) : q.how}
            sx={{ flex: '1 1 20ch', maxWidth: 420 }}
            slotProps={{
              inputLabel: { sx: { whiteSpace: 'normal', position: 'static', transform: 'none' } },
              htmlInput: { maxLength: 2000, spellCheck: false },
            }}
            onChange={(e) => onChange({ ...answers, [idOf(q)]: e.target.value })}
          />
          {q.try && (
            <Button
              variant="outlined"
              disabled={press.isPending}
              sx={{ flexShrink: 0, mb: 2.5 }}
              onClick={() => press.mutate({ device, key: q.try ?? '' })}
            >
              {words.controls.tryKey(label(q.try))}
            </Button>
          )}
        </Box>
      ))}
      <Failed of={[press]} />
    </>
  );
}

// answered are the answers that were given, as they are sent.
export const answered = (questions: Question[], answers: Record<string, string>) =>
  questions
    .map((q) => ({ control: q.control, field: q.field, text: (answers[idOf(q)] ?? '').trim() }))
    .filter((a) => a.text);
