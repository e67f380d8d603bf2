import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { client, unwrap, type NewPerson } from '../api/client';
import { keys } from '../api/queries';
import { stale } from '../api/stale';
import { words } from '../app/words';
import { Failed } from '../shared/Failed';
import { endOf, whereOf } from './people';
import { PersonFields } from './PersonFields';

// LetIn asks who is to be let in. onDone gets the name, or nothing where it was given up.
export function LetIn({ onDone }: { onDone: (name?: string) => void }) {
  const [form, setForm] = useState({
    name: '',
    role: 'resident',
    rooms: [] as string[],
    boards: [] as string[],
    until: '',
  });
  const add = useMutation({
    mutationFn: () => {
      const body: NewPerson = { name: form.name, role: form.role as NewPerson['role'] };
      if (form.rooms.length > 0 || form.role === 'owner' || form.role === 'guest')
        body.where = whereOf(form.role, form.rooms, form.boards);
      const until = endOf(form.until);
      if (until) body.until = until;
      return unwrap(client.POST('/api/people', { body }));
    },
    onSuccess: (p) => {
      stale(keys.people);
      onDone(p.name);
    },
  });
  return (
    <Box
      component="form"
      aria-label={words.people.letIn}
      sx={{ display: 'grid', gap: 2, maxWidth: 420, mb: 2 }}
      onSubmit={(e) => {
        e.preventDefault();
        add.mutate();
      }}
    >
      <PersonFields form={form} onChange={setForm} />
      <Failed of={[add]} />
      <Box sx={{ display: 'flex', gap: 1 }}>
        <Button type="submit" variant="contained" disabled={add.isPending || !form.name.trim()}>
          {words.people.letInDo}
        </Button>
        <Button onClick={() => onDone()}>{words.devices.cancel}</Button>
      </Box>
    </Box>
  );
}
