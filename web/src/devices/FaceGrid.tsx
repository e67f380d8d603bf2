import Box from '@mui/material/Box';
import { Fragment, type ReactNode } from 'react';
import { face } from './face';

// FaceGrid lays keys out as on a handset, three in a row.
export function FaceGrid({ keys, children }: { keys: string[]; children: (key: string) => ReactNode }) {
  return (
    <Box sx={{ display: 'grid', gridTemplateColumns: 'repeat(3, minmax(0, 1fr))', gap: 1, maxWidth: 340 }}>
      {face(keys).flatMap((row, y) =>
        row.map((key, x) =>
          key === null ? <span key={`${y}-${x}`} /> : <Fragment key={key}>{children(key)}</Fragment>,
        ),
      )}
    </Box>
  );
}
