import Box from '@mui/material/Box';
import type { Station } from '../api/client';
import { useStations } from '../api/queries';
import { words } from '../app/words';
import { Note, Panel } from '../shared/Panel';
import { clock, hertz } from '../shared/text';

// StationsPart lists the hardware: which port receives, which sends, and when each last did.
export default function StationsPart() {
  const stations = useStations();
  return (
    <>
      {stations.error && <Note alert>{stations.error.message}</Note>}
      {stations.data?.length === 0 && <Note>{words.house.noStations}</Note>}
      {stations.data?.map((s) => (
        <Panel
          key={s.name}
          title={s.name}
          aside={
            <Box component="span" sx={{ color: s.here ? 'received' : 'secondary.main', fontWeight: 600 }}>
              {presence(s)}
            </Box>
          }
        >
          <Box sx={{ color: 'text.secondary', mb: 1 }}>{s.model}</Box>
          {s.ports.map((p) => (
            <Port key={p.id} port={p} />
          ))}
        </Panel>
      ))}
    </>
  );
}

// presence says whether a station is here, and since when.
function presence(s: Station): string {
  if (!s.since) return words.house.notSeen;
  return `${s.here ? words.house.here : words.house.away} ${words.house.since(clock(s.since))}`;
}

function Port({ port: p }: { port: Station['ports'][number] }) {
  const receives = p.direction === 'receiver';
  const range = p.from_hz === p.to_hz ? hertz(p.from_hz) : `${hertz(p.from_hz)} to ${hertz(p.to_hz)}`;
  return (
    <Box
      sx={{
        display: 'grid',
        gridTemplateColumns: { xs: '1fr 1fr', sm: '120px 110px 1fr 1fr' },
        columnGap: 2,
        py: 1,
        borderTop: '1px dotted',
        borderColor: 'divider',
      }}
    >
      <Box component="span" sx={{ fontWeight: 600 }}>
        {p.id}
      </Box>
      <Box component="span" sx={{ color: receives ? 'received' : 'secondary.main', fontWeight: 600 }}>
        {receives ? words.house.receives : words.house.sends}
      </Box>
      <span>
        {p.medium}, {range}
      </span>
      <Box component="span" sx={{ color: 'text.secondary' }}>
        {receives ? words.house.lastHeard : words.house.lastSent} {p.last ? clock(p.last) : words.house.never}
      </Box>
    </Box>
  );
}
