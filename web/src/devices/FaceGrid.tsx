import Box from '@mui/material/Box';
import { Fragment, type ReactNode } from 'react';
import { face } from './face';

type Props = { keys: string[]; arranged?: string[][]; children: (key: string) => ReactNode };

// FaceGrid lays keys out as on a handset, three in a row: as somebody arranged them, or by itself.
export function FaceGrid({ keys, arranged, children }: Props) {
  return (
    <Box sx={{ display: 'grid', gridTemplateColumns: 'repeat(3, minmax(0, 1fr))', gap: 1, maxWidth: 340 }}>
      {face(keys, arranged).flatMap((row, y) =>
        row.map((key, x) =>
          key === null ? <span key={`${y}-${x}`} /> : <Fragment key={key}>{children(key)}</Fragment>,
        ),
      )}
    </Box>
  );
}
