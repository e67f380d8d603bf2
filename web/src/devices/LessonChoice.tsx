import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Checkbox from '@mui/material/Checkbox';
import FormControlLabel from '@mui/material/FormControlLabel';
import TextField from '@mui/material/TextField';
import { useState, type SubmitEvent } from 'react';
import type { Device } from '../api/client';
import { words } from '../app/words';
import { Note, Panel } from '../shared/Panel';
import { label, slugged } from '../shared/text';

type Props = {
  device: Device;
  wanted: string | null;
  onStart: (keys: string[] | 'free') => void;
  busy: boolean;
};

// LessonChoice lets people say which keys to learn: at first those that are not learned yet.
export function LessonChoice({ device, wanted, onStart, busy }: Props) {
  const [own, setOwn] = useState<string[]>([]);
  const [name, setName] = useState('');
  const [chosen, setChosen] = useState<Set<string>>(
    () => new Set(wanted ? [wanted] : device.keys.filter((k) => k.codes.length === 0).map((k) => k.name)),
  );
  const all = [...device.keys.map((k) => k.name), ...own];
  const toggle = (key: string) => {
    const next = new Set(chosen);
    if (!next.delete(key)) next.add(key);
    setChosen(next);
  };
  const add = (e: SubmitEvent) => {
    e.preventDefault();
    const key = slugged(name);
    if (!key) return;
    if (!all.includes(key)) setOwn([...own, key]);
    setChosen(new Set([...chosen, key]));
    setName('');
  };
  return (
    <Panel title={words.lesson.choose}>
      {all.length > 0 && chosen.size === 0 && <Note>{words.lesson.allLearned}</Note>}
      <Box sx={{ display: 'grid', gridTemplateColumns: 'repeat(auto-fill, minmax(150px, 1fr))' }}>
        {all.map((key) => (
          <FormControlLabel
            key={key}
            label={label(key)}
            control={<Checkbox checked={chosen.has(key)} onChange={() => toggle(key)} />}
          />
        ))}
      </Box>
      <Box
        component="form"
        onSubmit={add}
        sx={{ display: 'flex', gap: 1, alignItems: 'flex-end', maxWidth: 360, mt: 1 }}
      >
        <TextField
          label={words.lesson.addKey}
          value={name}
          onChange={(e) => setName(e.target.value)}
          slotProps={{ htmlInput: { maxLength: 40 } }}
        />
        <Button type="submit">{words.lesson.add}</Button>
      </Box>
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1, mt: 3 }}>
        <Button
          variant="contained"
          disabled={busy || chosen.size === 0}
          onClick={() => onStart(all.filter((k) => chosen.has(k)))}
        >
          {words.lesson.start}
        </Button>
        <Button variant="outlined" disabled={busy} onClick={() => onStart('free')}>
          {words.lesson.free}
        </Button>
      </Box>
    </Panel>
  );
}
