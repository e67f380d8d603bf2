import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import type { ReactNode } from 'react';
import { useTitle } from './title';

// Panel is a part of a page: a hairline, a heading, and what belongs under it.
export function Panel({ title, aside, children }: { title: string; aside?: ReactNode; children: ReactNode }) {
  return (
    <Box component="section" aria-label={title} sx={{ borderTop: 1, borderColor: 'divider', pt: 1.5, mt: 3 }}>
      <Box sx={{ display: 'flex', alignItems: 'baseline', justifyContent: 'space-between', gap: 2, mb: 1.5 }}>
        <Typography variant="h2">{title}</Typography>
        {aside}
      </Box>
      {children}
    </Box>
  );
}

// Heading is the head of a page: its title, and what can be done on it.
export function Heading({
  title,
  under,
  children,
}: {
  title: string;
  under?: ReactNode;
  children?: ReactNode;
}) {
  useTitle(title);
  return (
    <Box
      sx={{
        display: 'flex',
        flexWrap: 'wrap',
        alignItems: 'flex-end',
        justifyContent: 'space-between',
        gap: 2,
      }}
    >
      <Box>
        <Typography variant="h1">{title}</Typography>
        {under && <Box sx={{ color: 'text.secondary', mt: 0.5 }}>{under}</Box>}
      </Box>
      {children && <Box sx={{ display: 'flex', gap: 1, flexWrap: 'wrap' }}>{children}</Box>}
    </Box>
  );
}

// Note is a quiet sentence, such as the empty state of a list.
export function Note({ children, alert }: { children: ReactNode; alert?: boolean }) {
  return (
    <Box
      role={alert ? 'alert' : undefined}
      sx={{ color: alert ? 'secondary.main' : 'text.secondary', py: 1.5, maxWidth: '60ch' }}
    >
      {children}
    </Box>
  );
}
