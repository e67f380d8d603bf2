import Box from '@mui/material/Box';
import type { ReactNode } from 'react';

// Line is one thing of a list of the house: its name, what there is to say of it, and what can be done.
export function Line({ name, about, children }: { name: string; about: string[]; children?: ReactNode }) {
  return (
    <Box
      sx={{
        display: 'flex',
        alignItems: 'center',
        columnGap: 2,
        minHeight: 52,
        flexWrap: 'wrap',
        '& + &': { borderTop: '1px dotted', borderColor: 'divider' },
      }}
    >
      <Box component="span" sx={{ fontWeight: 600 }}>
        {name}
      </Box>
      <Box component="span" sx={{ color: 'text.secondary' }}>
        {about.filter(Boolean).join(' · ')}
      </Box>
      <Box component="span" sx={{ ml: 'auto', color: 'text.secondary', display: 'flex', gap: 1 }}>
        {children}
      </Box>
    </Box>
  );
}
