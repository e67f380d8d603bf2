import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useEffect, useState, type ReactNode } from 'react';
import { NavLink, useLocation } from 'react-router';
import { useLive } from '../api/live';
import { useMay } from '../api/may';
import { keys, queryClient, useNotice, useUpdated } from '../api/queries';
import { clock } from '../shared/text';
import { SayButton } from '../say/Say';
import { words } from './words';

const icons = {
  boards: 'M3 18h18 M7 18V7h10v11',
  devices: 'M8 3h8v18H8z M12 6.5v.01 M10.5 11h3 M10.5 14h3 M10.5 17h3',
  automate: 'M3 18h18 M5 18v-5h3v5 M10.5 18V9h3v9 M16 18V5h3v13',
  bench: 'M2 17h4V7h5v10h4V7h3v10h4',
  house: 'M3 11.5 12 4l9 7.5 M6 9.5V20h12V9.5 M10 20v-6h4v6',
};

const places = ['boards', 'devices', 'automate', 'bench', 'house'] as const;

// Frame is what stands around every page: a bottom bar on a phone, a slim rail on a desk.
export function Frame({ children }: { children: ReactNode }) {
  const online = useLive();
  return (
    <Box
      sx={{
        display: { md: 'grid' },
        gridTemplateColumns: { md: '92px minmax(0, 1fr)' },
        minHeight: '100dvh',
      }}
    >
      <Bar />
      <Box
        component="main"
        sx={{ px: { xs: 2, md: 5 }, pt: { xs: 2.5, md: 4 }, pb: { xs: 12, md: 6 }, maxWidth: 1120 }}
      >
        <Away online={online} />
        <Box inert={!online}>
          <Notice />
          {children}
        </Box>
      </Box>
    </Box>
  );
}

// Bare is what stands around a page without the places: that of a guest, or on the wall.
export function Bare({ children, wall }: { children: ReactNode; wall?: boolean }) {
  const online = useLive();
  return (
    <Box
      component="main"
      sx={{ px: { xs: 2, md: 5 }, py: wall ? 2 : 2.5, maxWidth: wall ? undefined : 1240 }}
    >
      <Away online={online} />
      <Box inert={!online}>{children}</Box>
    </Box>
  );
}

// Away says since when the service does not answer: what the page shows may be old then. A page of another version
// than the service loads itself anew. It stays in sight, and nothing can be pressed meanwhile.
function Away({ online }: { online: boolean }) {
  const updated = useUpdated();
  const [since, setSince] = useState<string>();
  if (online && since !== undefined) setSince(undefined);
  if (!online && since === undefined) setSince(clock(new Date().toISOString()));
  useEffect(() => {
    if (!updated.data) return;
    const timer = window.setTimeout(() => window.location.reload(), 1500);
    return () => window.clearTimeout(timer);
  }, [updated.data]);
  if (online && !updated.data) return null;
  return (
    <Box
      role="status"
      sx={{
        position: 'sticky',
        top: 0,
        zIndex: 3,
        bgcolor: 'background.default',
        borderLeft: 3,
        borderColor: 'secondary.main',
        pl: 1.5,
        py: 0.75,
        mb: 2,
      }}
    >
      {updated.data ? words.updated : words.offline(since ?? '')}
    </Box>
  );
}

// Notice is what a run has to say to people, until somebody puts it away.
function Notice() {
  const notice = useNotice();
  if (!notice.data) return null;
  return (
    <Box
      role="status"
      sx={{
        borderLeft: 3,
        borderColor: 'text.primary',
        pl: 1.5,
        mb: 2,
        display: 'flex',
        alignItems: 'center',
        gap: 1,
      }}
    >
      <Box sx={{ flex: 1 }}>{words.notice(notice.data.run, notice.data.text)}</Box>
      <Button size="small" onClick={() => queryClient.setQueryData(keys.notice, null)}>
        {words.putAway}
      </Button>
    </Box>
  );
}

// inside are pages that open inside a place without its path.
const inside: Record<string, (typeof places)[number]> = { '/shelf': 'devices', '/which': 'devices' };

function Bar() {
  const place = inside[useLocation().pathname];
  const may = useMay();
  return (
    <Box
      component="nav"
      aria-label="Places"
      sx={{
        position: { xs: 'fixed', md: 'sticky' },
        top: { md: 0 },
        bottom: { xs: 0, md: 'auto' },
        left: 0,
        right: { xs: 0, md: 'auto' },
        height: { md: '100dvh' },
        zIndex: 2,
        display: 'flex',
        flexDirection: { xs: 'row', md: 'column' },
        bgcolor: 'background.default',
        borderTop: { xs: 1, md: 0 },
        borderRight: { md: 1 },
        borderColor: { xs: 'divider', md: 'divider' },
        pt: { md: 4 },
        pb: { xs: 'env(safe-area-inset-bottom)', md: 0 },
      }}
    >
      {places
        .filter((p) => p !== 'bench' || may('see', true))
        .map((p) => (
          <Box
            key={p}
            component={NavLink}
            to={`/${p}`}
            className={p === place ? 'active' : undefined}
            sx={{
              flex: { xs: 1, md: 'none' },
              minHeight: 60,
              display: 'flex',
              flexDirection: 'column',
              alignItems: 'center',
              justifyContent: 'center',
              gap: 0.25,
              py: 1,
              color: 'text.secondary',
              textDecoration: 'none',
              fontSize: 13,
              borderTop: { xs: '3px solid transparent', md: 0 },
              borderLeft: { md: '3px solid transparent' },
              '&.active': { color: 'text.primary', fontWeight: 600, borderColor: 'text.primary' },
              '&:focus-visible': { outline: '3px solid', outlineOffset: -4 },
            }}
          >
            <svg
              width="24"
              height="24"
              viewBox="0 0 24 24"
              fill="none"
              stroke="currentColor"
              strokeWidth="1.6"
              aria-hidden="true"
            >
              <path d={icons[p]} strokeLinejoin="round" strokeLinecap="round" />
            </svg>
            {words.places[p]}
          </Box>
        ))}
      {may('use') && <SayButton />}
    </Box>
  );
}
