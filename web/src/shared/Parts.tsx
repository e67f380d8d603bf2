import Box from '@mui/material/Box';
import { useEffect, useRef } from 'react';
import { NavLink, useLocation } from 'react-router';

// Parts leads to the parts of a page.
export function Parts({ title, parts }: { title: string; parts: { to: string; name: string }[] }) {
  const bar = useRef<HTMLElement>(null);
  const { pathname } = useLocation();
  useEffect(() => {
    bar.current?.querySelector('.active')?.scrollIntoView({ block: 'nearest', inline: 'center' });
  }, [pathname]);
  return (
    <Box
      ref={bar}
      component="nav"
      aria-label={title}
      sx={{ display: 'flex', gap: 3, mt: 1, overflowX: 'auto' }}
    >
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
