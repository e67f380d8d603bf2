import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { client, unwrap, type Person, type PersonChange } from '../api/client';
import { keys } from '../api/queries';
import { stale } from '../api/stale';
import { words } from '../app/words';
import { Failed } from '../shared/Failed';
import { endOf, whereOf } from './people';
import { PersonFields } from './PersonFields';

// dayOf is the day whose end somebody's time ends with, for a date field.
function dayOf(until: string | undefined): string {
  if (!until) return '';
  const t = new Date(new Date(until).getTime() - 1);
  const two = (n: number) => String(n).padStart(2, '0');
  return `${t.getFullYear()}-${two(t.getMonth() + 1)}-${two(t.getDate())}`;
}

// ChangePerson changes what is given of a person. Only what was changed is sent: somebody else may change the rest.
export function ChangePerson({ person, onDone }: { person: Person; onDone: () => void }) {
  const before = {
    name: person.name,
    role: person.role,
    rooms: person.where.rooms ?? [],
    boards: person.where.boards ?? [],
    until: dayOf(person.until),
    user: person.user ?? '',
  };
  const [form, setForm] = useState(before);
  const change = useMutation({
    mutationFn: () => {
      const body: PersonChange = {};
      if (form.name !== before.name) body.name = form.name;
      if (form.role !== before.role) body.role = form.role as NonNullable<PersonChange['role']>;
      if (
        form.role !== before.role ||
        form.rooms.join() !== before.rooms.join() ||
        form.boards.join() !== before.boards.join()
      )
        body.where = whereOf(form.role, form.rooms, form.boards);
      if (form.user !== before.user) body.user = form.user;
      if (form.until !== before.until) {
        const until = endOf(form.until);
        if (until) body.until = until;
        else body.always = true;
      }
      return unwrap(client.PATCH('/api/people/{person}', { params: { path: { person: person.id } }, body }));
    },
    onSuccess: () => {
      stale(keys.people);
      onDone();
    },
  });
  return (
    <Box
      component="form"
      aria-label={words.people.changeName(person.name)}
      sx={{ display: 'grid', gap: 2, maxWidth: 420, my: 2 }}
      onSubmit={(e) => {
        e.preventDefault();
        change.mutate();
      }}
    >
      <PersonFields form={form} onChange={(fields) => setForm({ ...form, ...fields })} />
      {form.role === 'owner' && (
        <TextField
          label={words.people.user}
          value={form.user}
          helperText={words.people.userHow}
          slotProps={{ htmlInput: { maxLength: 64, autoCapitalize: 'none', spellCheck: false } }}
          onChange={(e) => setForm({ ...form, user: e.target.value })}
        />
      )}
      <Failed of={[change]} />
      <Box sx={{ display: 'flex', gap: 1 }}>
        <Button type="submit" variant="contained" disabled={change.isPending || !form.name.trim()}>
          {words.people.save}
        </Button>
        <Button onClick={onDone}>{words.devices.cancel}</Button>
      </Box>
    </Box>
  );
}
