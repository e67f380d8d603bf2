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
import { useBoards } from '../boards/queries';

export type PersonForm = { name: string; role: string; rooms: string[]; boards: string[]; until: string };

const roles = ['owner', 'resident', 'visitor', 'guest'];

// PersonFields is what every form of a person asks for.
export function PersonFields({ form, onChange }: { form: PersonForm; onChange: (form: PersonForm) => void }) {
  const rooms = useQuery({ queryKey: keys.rooms, queryFn: () => unwrap(client.GET('/api/rooms')) });
  const boards = useBoards();
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
      {form.role === 'guest' && (
        <FormControl component="fieldset" variant="standard">
          <FormLabel component="legend">{words.people.boards}</FormLabel>
          <FormGroup row>
            {(boards.data ?? []).map((b) => (
              <FormControlLabel
                key={b.slug}
                label={b.name}
                control={
                  <Checkbox
                    checked={form.boards.includes(b.slug)}
                    onChange={(_, on) =>
                      onChange({
                        ...form,
                        boards: on ? [...form.boards, b.slug] : form.boards.filter((s) => s !== b.slug),
                      })
                    }
                  />
                }
              />
            ))}
          </FormGroup>
          <FormHelperText sx={{ m: 0 }}>{words.people.boardsHow}</FormHelperText>
        </FormControl>
      )}
      {form.role !== 'owner' && form.role !== 'guest' && (
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
        helperText={form.role === 'guest' ? words.people.untilGuest : words.people.untilHow}
        required={form.role === 'guest'}
        slotProps={{ inputLabel: { shrink: true } }}
        onChange={(e) => onChange({ ...form, until: e.target.value })}
      />
    </>
  );
}
