import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useState } from 'react';
import { useMay } from '../api/may';
import { words } from '../app/words';
import { Note } from '../shared/Panel';
import { ErrandForm } from './ErrandForm';
import { useBlind, useHabits } from './queries';
import { Sentence } from './Sentence';

// Habits offers what people do by hand at about the same time as errands, where somebody asks for that.
export function Habits() {
  const may = useMay();
  const [open, setOpen] = useState(false);
  const [writes, setWrites] = useState('');
  const habits = useHabits(open);
  const blind = useBlind(open && may('see'));
  return (
    <Box sx={{ pt: 1 }}>
      <Button size="small" aria-expanded={open} onClick={() => setOpen(!open)} sx={{ pl: 0 }}>
        {words.errands.habits}
      </Button>
      {open && habits.error && <Note alert>{habits.error.message}</Note>}
      {open && habits.data?.length === 0 && <Note>{words.errands.noHabits}</Note>}
      {open &&
        habits.data?.map((h) => (
          <Box key={h.text} sx={{ py: 1 }}>
            <Box sx={{ color: 'text.secondary' }}>
              {words.errands.habitSays(`${h.device} ${h.control} ${h.value}`, h.says)}
            </Box>
            <Sentence text={h.text} />
            {writes === h.text ? (
              <ErrandForm start={h.text} onDone={() => setWrites('')} />
            ) : (
              <Button size="small" sx={{ pl: 0 }} onClick={() => setWrites(h.text)}>
                {words.errands.addHabit}
              </Button>
            )}
          </Box>
        ))}
      {open &&
        blind.data?.devices.map((d) => (
          <Note key={d.device}>{words.errands.blind(d.device, d.skipped, blind.data.of)}</Note>
        ))}
    </Box>
  );
}
