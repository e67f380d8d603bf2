import Box from '@mui/material/Box';
import { Link } from 'react-router';
import type { Station } from '../api/client';
import { useMay } from '../api/may';
import { useStations } from '../api/queries';
import { words } from '../app/words';
import { presence } from './stations';

const receives = (s: Station) => s.ports.some((p) => p.direction === 'receiver');

// NoReceiver says that no handset can be heard, why, and where to attach a station. It shows nothing where a receiver
// is here; with only="none", also where one is known and away.
export function NoReceiver({ only }: { only?: 'none' }) {
  const may = useMay();
  if (!may('see', true)) return null;
  return <Looks only={only} />;
}

function Looks({ only }: { only?: 'none' }) {
  const may = useMay();
  const all = useStations().data;
  if (!all || all.some((s) => s.here && receives(s))) return null;
  const away = all.filter((s) => !s.here && (receives(s) || s.ports.length === 0));
  if (only && away.length > 0) return null;
  return (
    <Box
      role="status"
      sx={{ borderLeft: 3, borderColor: 'secondary.main', pl: 1.5, my: 2, maxWidth: '62ch' }}
    >
      {words.stations.deaf}
      {away.map((s) => (
        <Box key={s.name}>{`${s.name}: ${presence(s)}`}</Box>
      ))}
      {may('keep', true) && (
        <Box
          component={Link}
          to="/house/stations"
          sx={{ color: 'inherit', display: 'inline-block', py: 1, fontWeight: 600 }}
        >
          {away.length > 0 ? words.stations.see : words.stations.attach}
        </Box>
      )}
    </Box>
  );
}
