import Box from '@mui/material/Box';
import type { Control } from '../api/client';
import { words } from '../app/words';
import { label } from '../shared/text';

// Named is a control by its name and kind.
export function Named({ control }: { control: Control }) {
  return (
    <Box sx={{ flex: '1 1 20ch' }}>
      <Box component="span" sx={{ fontWeight: 600 }}>
        {label(control.name)}
      </Box>{' '}
      <Box component="span" sx={{ color: 'text.secondary' }}>
        {words.controls.kinds[control.kind]}
      </Box>
    </Box>
  );
}
