import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import { Link } from 'react-router';
import type { DeviceLine } from '../api/client';
import { useMay } from '../api/may';
import { useDevices } from '../api/queries';
import { words } from '../app/words';
import { Heading, Note, Panel } from '../shared/Panel';
import { AddDevice } from './AddDevice';
import { search } from './search';
import { PackPart } from './PackPart';
import { RemovedPart } from './RemovedPart';

// page is how many devices are shown at once: a house has fewer, and a warehouse has a search.
const page = 100;

// DevicesPage is the library: devices by room.
export default function DevicesPage() {
  const devices = useDevices();
  const [wanted, setWanted] = useState('');
  const [adding, setAdding] = useState(false);
  const may = useMay();
  const [shown, setShown] = useState(page);
  const found = search(devices.data ?? [], wanted);
  const rooms = Map.groupBy(found.slice(0, shown), (d) => d.room || words.devices.noRoom);
  return (
    <>
      <Heading title={words.devices.title}>
        {may('see', true) && (
          <Button component={Link} to="/which" variant="outlined">
            {words.which.title}
          </Button>
        )}
        {may('teach') && (
          <Button variant="contained" onClick={() => setAdding(true)}>
            {words.devices.add}
          </Button>
        )}
      </Heading>
      {adding && <AddDevice onDone={() => setAdding(false)} />}
      {(devices.data?.length ?? 0) > 4 && (
        <TextField
          label={words.devices.search}
          value={wanted}
          onChange={(e) => {
            setWanted(e.target.value);
            setShown(page);
          }}
          sx={{ mt: 2, maxWidth: 360 }}
        />
      )}
      {devices.error && <Note alert>{devices.error.message}</Note>}
      {devices.data?.length === 0 && <Note>{words.devices.none}</Note>}
      {devices.data && devices.data.length > 0 && found.length === 0 && <Note>{words.devices.noMatch}</Note>}
      {[...rooms].map(([room, list]) => (
        <Panel key={room} title={room}>
          {list.map((d) => (
            <Row key={d.slug} device={d} />
          ))}
        </Panel>
      ))}
      {found.length > shown && (
        <Button variant="outlined" sx={{ mt: 2 }} onClick={() => setShown(shown + page)}>
          {words.devices.more(found.length - shown)}
        </Button>
      )}
      {may('teach', true) && <Files />}
    </>
  );
}

// Files is what devices and code sets come from and go to.
function Files() {
  return (
    <>
      <Panel title={words.shelf.title}>
        <Box sx={{ color: 'text.secondary', maxWidth: '62ch', mb: 1.5 }}>{words.shelf.how}</Box>
        <Button component={Link} to="/shelf" variant="outlined">
          {words.shelf.open}
        </Button>
      </Panel>
      <PackPart />
      <RemovedPart />
    </>
  );
}

function Row({ device: d }: { device: DeviceLine }) {
  return (
    <Box
      component={Link}
      to={`/devices/${d.slug}`}
      sx={{
        display: 'grid',
        gridTemplateColumns: { xs: '1fr', sm: '2fr 1.4fr 1fr' },
        columnGap: 3,
        alignItems: 'baseline',
        py: 1.25,
        minHeight: 48,
        color: 'text.primary',
        textDecoration: 'none',
        '& + &': { borderTop: '1px dotted', borderColor: 'divider' },
        '&:hover .name, &:focus-visible .name': { textDecoration: 'underline' },
      }}
    >
      <Box component="span" className="name" sx={{ fontSize: 18, fontWeight: 600 }}>
        {d.name}
      </Box>
      <Box component="span" sx={{ color: 'text.secondary' }}>
        {[d.maker, d.model].filter(Boolean).join(' ') || d.kind}
      </Box>
      <Box component="span" sx={{ color: 'text.secondary', textAlign: { sm: 'right' } }}>
        {words.devices.learned(d.keys_learned, d.keys_total, d.keys_heard)}
      </Box>
    </Box>
  );
}
