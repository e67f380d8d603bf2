import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useQuery } from '@tanstack/react-query';
import { client, unwrap } from '../api/client';
import { keys } from '../api/queries';
import { words } from '../app/words';

export type PersonForm = { name: string; role: string; rooms: string[]; until: string };

const roles = ['owner', 'resident', 'visitor'];

// PersonFields is what every form of a person asks for.
export function PersonFields({ form, onChange }: { form: PersonForm; onChange: (form: PersonForm) => void }) {
  const rooms = useQuery({ queryKey: keys.rooms, queryFn: () => unwrap(client.GET('/api/rooms')) });
  return (
    <>
      <TextField
        label={words.people.name}
        value={form.name}
        required
        slotProps={{ htmlInput: { maxLength: 80 } }}
        onChange={(e) => onChange({ ...form, name: e.target.value })}
      />
      <TextField
        select
        label={words.people.role}
        value={form.role}
        helperText={words.people.rolesHow[form.role]}
        onChange={(e) => onChange({ ...form, role: e.target.value })}
      >
        {roles.map((r) => (
          <MenuItem key={r} value={r}>
            {words.people.roles[r]}
          </MenuItem>
        ))}
      </TextField>
      {form.role !== 'owner' && (
        <TextField
          select
          label={words.people.rooms}
          value={form.rooms}
          helperText={form.role === 'resident' ? words.people.roomsAll : words.people.roomsSome}
          slotProps={{ select: { multiple: true } }}
          onChange={(e) => onChange({ ...form, rooms: [e.target.value].flat() })}
        >
          {(rooms.data ?? []).map((r) => (
            <MenuItem key={r.id} value={r.name}>
              {r.name}
            </MenuItem>
          ))}
        </TextField>
      )}
      <TextField
        type="date"
        label={words.people.untilDay}
        value={form.until}
        helperText={words.people.untilHow}
        slotProps={{ inputLabel: { shrink: true } }}
        onChange={(e) => onChange({ ...form, until: e.target.value })}
      />
    </>
  );
}
