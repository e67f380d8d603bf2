import Checkbox from '@mui/material/Checkbox';
import FormControl from '@mui/material/FormControl';
import FormControlLabel from '@mui/material/FormControlLabel';
import FormGroup from '@mui/material/FormGroup';
import FormHelperText from '@mui/material/FormHelperText';
import FormLabel from '@mui/material/FormLabel';
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
  const choose = (name: string, on: boolean) =>
    onChange({ ...form, rooms: on ? [...form.rooms, name] : form.rooms.filter((r) => r !== name) });
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
        <FormControl component="fieldset" variant="standard">
          <FormLabel component="legend">{words.people.rooms}</FormLabel>
          <FormGroup row>
            {(rooms.data ?? []).map((r) => (
              <FormControlLabel
                key={r.id}
                label={r.name}
                control={
                  <Checkbox checked={form.rooms.includes(r.name)} onChange={(_, on) => choose(r.name, on)} />
                }
              />
            ))}
          </FormGroup>
          <FormHelperText sx={{ m: 0 }}>
            {form.role === 'resident' ? words.people.roomsAll : words.people.roomsSome}
          </FormHelperText>
        </FormControl>
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
