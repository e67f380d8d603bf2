import Box from '@mui/material/Box';
import { NavLink } from 'react-router';

// Parts leads to the parts of a page.
export function Parts({ title, parts }: { title: string; parts: { to: string; name: string }[] }) {
  return (
    <Box component="nav" aria-label={title} sx={{ display: 'flex', gap: 3, mt: 1, overflowX: 'auto' }}>
      {parts.map((p) => (
        <Box
          key={p.to}
          component={NavLink}
          to={p.to}
          end
          sx={{
            color: 'text.secondary',
            textDecoration: 'none',
            whiteSpace: 'nowrap',
            py: 1.25,
            borderBottom: '3px solid transparent',
            '&.active': { color: 'text.primary', fontWeight: 600, borderColor: 'text.primary' },
          }}
        >
          {p.name}
        </Box>
      ))}
    </Box>
  );
}
