import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import { Link, useLocation, useSearchParams } from 'react-router';
import type { ControlState, DeviceLine } from '../api/client';
import { useCauseLeft } from '../api/cause';
import { useMay } from '../api/may';
import { useDevices } from '../api/queries';
import { words } from '../app/words';
import { useAllStates, useSetControls } from '../controls/queries';
import { brief } from '../controls/state';
import { NoReceiver } from '../house/NoReceiver';
import { Heading, Note, Panel } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { label } from '../shared/text';
import { AddDevice } from './AddDevice';
import { useFavourites } from './favourites';
import { usePress } from './queries';
import { search } from './search';
import { PackPart } from './PackPart';
import { RemovedPart } from './RemovedPart';

// page is how many devices are shown at once: a house has fewer, and a warehouse has a search.
const page = 100;

// DevicesPage is the library: devices by room.
export default function DevicesPage() {
  const devices = useDevices();
  const states = useAllStates();
  const [query, setQuery] = useSearchParams(); // so that it is there again on the way back
  const wanted = query.get('find') ?? '';
  const [adding, setAdding] = useState(false);
  const may = useMay();
  const [shown, setShown] = useState(page);
  const found = search(devices.data ?? [], wanted);
  const favourites = useFavourites();
  const rooms = [...Map.groupBy(found.slice(0, shown), (d) => d.room || words.devices.noRoom)];
  const first = found.filter((d) => favourites.has(d.slug));
  if (first.length > 0) rooms.unshift([words.devices.favourites, first]);
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
      <NoReceiver only="none" />
      {adding && <AddDevice onDone={() => setAdding(false)} />}
      {(devices.data?.length ?? 0) > 4 && (
        <TextField
          label={words.devices.search}
          value={wanted}
          onChange={(e) => {
            setQuery(e.target.value ? { find: e.target.value } : {}, { replace: true });
            setShown(page);
          }}
          sx={{ mt: 2, maxWidth: 360 }}
        />
      )}
      <Failed of={[devices]} />
      {devices.data?.length === 0 && <Note>{words.devices.none}</Note>}
      {devices.data && devices.data.length > 0 && found.length === 0 && <Note>{words.devices.noMatch}</Note>}
      {rooms.map(([room, list]) => (
        <Panel key={room} title={room}>
          {list.map((d) => (
            <Row key={d.slug} device={d} states={states.data?.find((s) => s.device === d.slug)?.controls} />
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

// Row is a device in one line: what it is believed to be at, and what is pressed most.
function Row({ device: d, states }: { device: DeviceLine; states?: ControlState[] }) {
  const place = useLocation();
  const said =
    brief(states ?? []) || (states?.length && (d.keys_learned > 0 || d.whole) ? words.controls.notKnown : '');
  return (
    <Box
      sx={{
        display: 'grid',
        gridTemplateColumns: { xs: 'minmax(0, 1fr) auto', sm: 'minmax(0, 2fr) minmax(0, 1.6fr) 96px' },
        columnGap: 2,
        alignItems: 'center',
        minHeight: 60,
        '& + &': { borderTop: '1px dotted', borderColor: 'divider' },
      }}
    >
      <Box
        component={Link}
        to={`/devices/${d.slug}`}
        state={{ find: place.search }}
        sx={{
          color: 'text.primary',
          textDecoration: 'none',
          py: 1,
          minHeight: 48,
          minWidth: 0,
          '&:hover .name, &:focus-visible .name': { textDecoration: 'underline' },
        }}
      >
        <Box component="span" className="name" sx={{ fontSize: 18, fontWeight: 600, display: 'block' }}>
          {d.name}
        </Box>
        <Box
          component="span"
          sx={{
            color: 'text.secondary',
            display: 'block',
            overflow: 'hidden',
            textOverflow: 'ellipsis',
            whiteSpace: 'nowrap',
          }}
        >
          {said ||
            (d.whole && d.keys_total === 0
              ? words.devices.whole
              : words.devices.learned(d.keys_learned, d.keys_total, d.keys_heard))}
        </Box>
      </Box>
      <Box component="span" sx={{ color: 'text.secondary', display: { xs: 'none', sm: 'block' } }}>
        {[d.maker, d.model].filter(Boolean).join(' ') || d.kind}
      </Box>
      <Main device={d} power={states?.find((s) => s.kind === 'power')} />
    </Box>
  );
}

// Main switches a device that can be switched, and presses the main key of any other.
function Main({ device: d, power }: { device: DeviceLine; power?: ControlState }) {
  const may = useMay();
  const set = useSetControls(d.slug);
  const press = usePress();
  useCauseLeft(() => {
    if (set.error) set.reset();
    if (press.error) press.reset();
  });
  if (!may('use') || !d.main_key) return null;
  const next = power?.value === 'off' || !power?.value ? 'on' : 'off';
  const asks = set.data && !set.data.presses?.length ? set.data.asks?.[0] : undefined;
  if (power && asks) {
    return (
      <Button component={Link} to={`/devices/${d.slug}`} sx={{ color: 'belief' }}>
        {words.devices.askFirst}
      </Button>
    );
  }
  const busy = set.isPending || press.isPending;
  const trouble = set.error ?? press.error;
  return (
    <Button
      variant="outlined"
      color={busy || trouble ? 'secondary' : 'primary'}
      sx={{ minHeight: 48, minWidth: 84 }}
      title={trouble?.message}
      aria-label={power ? words.devices.switch(d.name, next) : words.devices.press(d.name, label(d.main_key))}
      onClick={() =>
        power
          ? set.mutate([{ control: power.control, value: next }])
          : press.mutate({ device: d.slug, key: d.main_key ?? '' })
      }
    >
      {trouble ? words.devices.failed : power ? label(next) : label(d.main_key)}
    </Button>
  );
}
