import Box from '@mui/material/Box';
import type { ReactNode } from 'react';
import type { ControlState } from '../api/client';
import { words } from '../app/words';
import { label } from '../shared/text';
import { from, gauge, shown } from './state';

// Belief is what a control is believed to be at: its outline is solid where that is certain, dashed where it is
// believed, and what is doubtful has a question mark.
export function Belief({
  name,
  state,
  bare = false,
  aside,
}: {
  name: string;
  state: ControlState;
  bare?: boolean; // what is measured stands elsewhere
  aside?: ReactNode;
}) {
  return (
    <Box>
      <Box sx={{ display: 'flex', alignItems: 'center', justifyContent: 'space-between', minHeight: 44 }}>
        <Box sx={{ fontWeight: 600 }}>{label(name)}</Box>
        {aside}
      </Box>
      <Box
        sx={{
          display: 'inline-block',
          my: 0.5,
          px: 1,
          py: 0.25,
          border: '1.5px',
          borderStyle: state.word === 'certain' ? 'solid' : 'dashed',
          borderColor: state.word === 'doubtful' ? 'text.secondary' : 'belief',
          color: state.word === 'doubtful' ? 'text.secondary' : 'belief',
          fontWeight: 600,
        }}
      >
        {shown(state)}
      </Box>
      {(bare ? [] : (state.beside ?? [])).map((g) => (
        <Box key={g.name} component="span" sx={{ ml: 1 }}>
          {words.controls.measured(gauge(g))}
        </Box>
      ))}
      <Box sx={{ color: 'text.secondary', fontSize: '0.9rem' }}>
        {words.controls.trust[state.word]}
        {' · '}
        {from(state)}
        {state.deaf && ` · ${words.controls.deaf}`}
        {(state.wrong ?? 0) > 0 && ` · ${words.controls.wrong(state.wrong ?? 0)}`}
      </Box>
    </Box>
  );
}
