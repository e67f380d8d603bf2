import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useEffect, useState } from 'react';
import { useDevices } from '../api/queries';
import { words } from '../app/words';
import { noFilter, type Filter } from './journal';

const kinds = [
  'heard',
  'echo',
  'press',
  'settled',
  'lesson',
  'audition',
  'device',
  'station',
  'access',
  'belief',
  'run',
  'house',
];

// typing is how long after the last letter a search begins, in ms.
const typing = 350;

// JournalFilter says which entries are wanted.
export function JournalFilter({ filter, onChange }: { filter: Filter; onChange: (f: Filter) => void }) {
  const devices = useDevices();
  const [text, setText] = useState({ search: filter.search, by: filter.by });
  useEffect(() => {
    if (text.search === filter.search && text.by === filter.by) return undefined;
    const soon = window.setTimeout(() => onChange({ ...filter, ...text }), typing);
    return () => window.clearTimeout(soon);
  }, [text, filter, onChange]);
  const any = JSON.stringify(filter) !== JSON.stringify(noFilter);
  const select = { inputLabel: { shrink: true }, select: { displayEmpty: true } };
  return (
    <Box
      role="search"
      aria-label={words.journal.filter}
      sx={{
        display: 'grid',
        gridTemplateColumns: { xs: '1fr 1fr', md: '1.6fr 1fr 1fr 1fr 1fr auto' },
        gap: 1.5,
        mb: 2,
        alignItems: 'end',
      }}
    >
      <TextField
        label={words.journal.search}
        value={text.search}
        sx={{ gridColumn: { xs: '1 / -1', md: 'auto' } }}
        slotProps={{ htmlInput: { maxLength: 100 } }}
        onChange={(e) => setText({ ...text, search: e.target.value })}
      />
      <TextField
        select
        label={words.journal.kind}
        value={filter.kind}
        slotProps={select}
        onChange={(e) => onChange({ ...filter, kind: e.target.value })}
      >
        <MenuItem value="">{words.journal.anyKind}</MenuItem>
        {kinds.map((k) => (
          <MenuItem key={k} value={k}>
            {k}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        select
        label={words.journal.device}
        value={filter.device}
        slotProps={select}
        onChange={(e) => onChange({ ...filter, device: e.target.value })}
      >
        <MenuItem value="">{words.journal.anyDevice}</MenuItem>
        {(devices.data ?? []).map((d) => (
          <MenuItem key={d.slug} value={d.slug}>
            {d.name}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        label={words.journal.by}
        value={text.by}
        slotProps={{ htmlInput: { maxLength: 80 } }}
        onChange={(e) => setText({ ...text, by: e.target.value })}
      />
      <TextField
        type="date"
        label={words.journal.day}
        value={filter.day}
        slotProps={{ inputLabel: { shrink: true } }}
        onChange={(e) => onChange({ ...filter, day: e.target.value })}
      />
      {any && (
        <Button
          onClick={() => {
            setText({ search: '', by: '' });
            onChange(noFilter);
          }}
        >
          {words.journal.all}
        </Button>
      )}
    </Box>
  );
}
