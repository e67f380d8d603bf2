import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { client, unwrap } from '../api/client';
import { words } from '../app/words';
import { Note } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { clock } from '../shared/text';

// places are where in the console something is looked after, by what a finding is about.
const places: Record<string, { part: keyof typeof words.device.lookAt; path: (device: string) => string }> = {
  code: { part: 'codes', path: (device) => `/devices/${device}/codes` },
  eyes: { part: 'stations', path: () => '/house/stations' },
  way: { part: 'stations', path: () => '/house/stations' },
  airtime: { part: 'stations', path: () => '/house/stations' },
  test: { part: 'stations', path: () => '/house/stations' },
  press: { part: 'journal', path: () => '/house/journal' },
};

const marks = { good: '✓', doubt: '?', bad: '✗' };

// Explain says why nothing happens when a key is pressed. Nothing is sent for it.
export function Explain({ device, name, onDone }: { device: string; name: string; onDone: () => void }) {
  const found = useQuery({
    queryKey: ['explain', device, name],
    queryFn: () =>
      unwrap(
        client.GET('/api/devices/{device}/keys/{key}/explain', { params: { path: { device, key: name } } }),
      ),
    gcTime: 0,
  });
  return (
    <Box
      component="section"
      aria-label={words.device.explain}
      sx={{ borderTop: 1, borderColor: 'divider', pt: 1 }}
    >
      <Failed of={[found]} />
      {found.isPending && <Note>{words.loading}</Note>}
      {found.data?.map((f) => (
        <Box key={f.text} sx={{ display: 'grid', gridTemplateColumns: '1.5em 1fr', py: 0.75 }}>
          <Box
            component="span"
            aria-label={words.device.found[f.is]}
            role="img"
            sx={{ fontWeight: 700, color: f.is === 'bad' ? 'secondary.main' : 'text.primary' }}
          >
            {marks[f.is]}
          </Box>
          <Box>
            {f.at && `${clock(f.at)} `}
            {f.text}
            {f.do && (
              <Box sx={{ color: 'text.secondary', fontSize: 14, overflowWrap: 'anywhere' }}>{f.do}</Box>
            )}
            {f.is !== 'good' && <Go to={places[f.about]} device={device} />}
          </Box>
        </Box>
      ))}
      <Button size="small" onClick={onDone}>
        {words.putAway}
      </Button>
    </Box>
  );
}

function Go({ to, device }: { to?: (typeof places)[string]; device: string }) {
  if (!to) return null;
  return (
    <Button component={Link} to={to.path(device)} size="small" sx={{ ml: -0.5 }}>
      {words.device.lookAt[to.part]}
    </Button>
  );
}
