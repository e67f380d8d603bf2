import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import { mono } from '../app/theme';
import { words } from '../app/words';
import { label } from '../shared/text';

type Props = { of: string; busy: boolean; onCode: (code: string) => void };

// CodePart gives the asked key of a lesson a code that somebody has of it, instead of a press.
export function CodePart({ of, busy, onCode }: Props) {
  const [text, setText] = useState('');
  return (
    <Box
      component="form"
      sx={{ display: 'flex', gap: 1, alignItems: 'end', mt: 2, maxWidth: 520 }}
      onSubmit={(e) => {
        e.preventDefault();
        onCode(text);
      }}
    >
      <TextField
        label={words.lesson.code(label(of))}
        helperText={words.lesson.codeHow}
        value={text}
        multiline
        maxRows={6}
        onChange={(e) => setText(e.target.value)}
        slotProps={{ htmlInput: { style: { fontFamily: mono, fontSize: 14 }, maxLength: 65536 } }}
      />
      <Button type="submit" variant="outlined" disabled={busy || !text.trim()} sx={{ mb: 3, flexShrink: 0 }}>
        {words.lesson.take}
      </Button>
    </Box>
  );
}
