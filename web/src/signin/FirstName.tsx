import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { client, unwrap } from '../api/client';
import { words } from '../app/words';
import { Heading, Note } from '../shared/Panel';
import { Failed } from '../shared/Failed';

// FirstName asks the first owner of a house for a name.
export function FirstName({ was, onDone }: { was: string; onDone: () => void }) {
  const [name, setName] = useState('');
  const change = useMutation({
    mutationFn: () =>
      unwrap(client.PATCH('/api/people/{person}', { params: { path: { person: was } }, body: { name } })),
    onSuccess: onDone,
  });
  return (
    <Box
      component="form"
      aria-label={words.signIn.who}
      sx={{ display: 'grid', gap: 2, maxWidth: 420, mx: 'auto', px: 3, pt: '14vh' }}
      onSubmit={(e) => {
        e.preventDefault();
        change.mutate();
      }}
    >
      <Heading title={words.signIn.who} />
      <Note>{words.signIn.whoHow}</Note>
      <TextField
        label={words.signIn.name}
        value={name}
        autoFocus
        autoComplete="name"
        slotProps={{ htmlInput: { maxLength: 80 } }}
        onChange={(e) => setName(e.target.value)}
      />
      <Failed of={[change]} />
      <Box sx={{ display: 'flex', gap: 1 }}>
        <Button type="submit" variant="contained" disabled={change.isPending || !name.trim()}>
          {words.signIn.keep}
        </Button>
        <Button onClick={onDone}>{words.signIn.later}</Button>
      </Box>
    </Box>
  );
}
