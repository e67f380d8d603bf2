import TextField from '@mui/material/TextField';
import { words } from '../app/words';

// NameAndRoom is what every form of a station asks for.
export function NameAndRoom<T extends { name: string; room: string }>(p: {
  form: T;
  onChange: (form: T) => void;
}) {
  return (
    <>
      <TextField
        label={words.stations.name}
        value={p.form.name}
        required
        helperText={words.stations.nameHow}
        slotProps={{ htmlInput: { maxLength: 40, pattern: '[a-z0-9\\-]+' } }}
        onChange={(e) => p.onChange({ ...p.form, name: e.target.value })}
      />
      <TextField
        label={words.stations.room}
        value={p.form.room}
        helperText={words.stations.roomHow}
        slotProps={{ htmlInput: { maxLength: 80 } }}
        onChange={(e) => p.onChange({ ...p.form, room: e.target.value })}
      />
    </>
  );
}
