import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { lazy, useState } from 'react';
import { Link, Navigate, useLocation, useParams } from 'react-router';
import type { Device } from '../api/client';
import { useMay } from '../api/may';
import { useDevice } from '../api/queries';
import { words } from '../app/words';
import { ControlsPart } from '../controls/ControlsPart';
import { PairPart } from '../controls/PairPart';
import { ProposePart } from '../controls/ProposePart';
import { Parts } from '../shared/Parts';
import { Heading, Note, Panel } from '../shared/Panel';
import { About } from './About';
import { AdvicePart } from './AdvicePart';
import { Arrange } from './Arrange';
import { Codes } from './Codes';
import { useFavourites } from './favourites';
import { HandsetFace } from './HandsetFace';
import { MatchPart } from './MatchPart';
import { useAdvice } from './queries';
import { Settings } from './Settings';

const PhonePart = lazy(() => import('./QrPart').then((m) => ({ default: m.PhonePart })));

// pairs are the kinds of devices that may obey paired handsets only.
const pairs = ['shutter', 'screen', 'socket', 'other'];

// DevicePage is one device: what can be set on it and its handset first, then a part each for its codes, for what is odd
// about it, and for its settings.
export default function DevicePage() {
  const { slug = '', part = '' } = useParams();
  const find = (useLocation().state as { find?: string } | null)?.find ?? ''; // what was looked for before
  const found = useDevice(slug);
  const favourites = useFavourites();
  const may = useMay();
  const teach = may('teach');
  const device = found.data;
  if (found.error) return <Note alert>{found.error.message}</Note>;
  if (!device) return <Note>{words.loading}</Note>;
  const page = `/devices/${device.slug}`;
  const fresh = !device.whole && device.keys.every((k) => k.codes.length === 0 && !k.heard?.length);
  if (device.slug !== slug) return <Navigate to={part ? `${page}/${part}` : page} replace />;
  if (part && (!teach || !['codes', 'advice', 'settings'].includes(part)))
    return <Navigate to={page} replace />;
  const missing = device.keys.filter((k) => k.codes.length === 0 && !k.heard?.length).length;
  return (
    <>
      <Box
        component={Link}
        to={`/devices${find}`}
        sx={{ color: 'text.secondary', display: 'inline-block', py: 1 }}
      >
        {words.device.back}
      </Box>
      <Heading
        title={device.name}
        under={[device.room, `${device.maker} ${device.model}`.trim()].filter(Boolean).join(' · ')}
      >
        <Button
          aria-pressed={favourites.has(device.slug)}
          onClick={() => favourites.toggle(device.slug)}
          sx={{ color: 'text.secondary' }}
        >
          {favourites.has(device.slug) ? '★ ' : '☆ '}
          {words.device.favourite}
        </Button>
        {teach && missing > 0 && !fresh && (
          <Button component={Link} to={`${page}/audition`} variant="outlined">
            {words.device.audition}
          </Button>
        )}
        {teach && !fresh && (
          <Button component={Link} to={`${page}/lesson`} variant={missing > 0 ? 'contained' : 'outlined'}>
            {missing > 0 ? words.device.learnMissing(missing) : words.device.lesson}
          </Button>
        )}
      </Heading>
      {teach && fresh && part === '' && <TwoWays page={page} />}
      {teach && <DeviceParts device={device} page={page} />}
      {part === '' && <UsePart device={device} teach={teach} />}
      {part === 'codes' && (
        <>
          <Codes device={device} />
          {pairs.includes(device.kind) && <PairPart device={device} />}
        </>
      )}
      {part === 'advice' && <AdvicePart device={device} />}
      {part === 'settings' && <SettingsPart device={device} />}
    </>
  );
}

function DeviceParts({ device, page }: { device: Device; page: string }) {
  const advice = useAdvice(device);
  return (
    <Parts
      title={device.name}
      parts={[
        { to: page, name: words.device.parts.use },
        { to: `${page}/codes`, name: words.device.parts.codes },
        { to: `${page}/advice`, name: words.device.parts.advice(advice.data?.length ?? 0) },
        { to: `${page}/settings`, name: words.device.parts.settings },
      ]}
    />
  );
}

// UsePart is what a device is used by: its controls, and its handset.
function UsePart({ device, teach }: { device: Device; teach: boolean }) {
  const [arranging, setArranging] = useState(false);
  return (
    <Box
      sx={{
        display: 'grid',
        gridTemplateColumns: { xs: 'minmax(0, 1fr)', md: 'minmax(0, 1fr) 340px' },
        columnGap: 6,
        alignItems: 'start',
      }}
    >
      <div>
        {device.controls?.length ? (
          <ControlsPart device={device} />
        ) : (
          teach && <ProposePart device={device} />
        )}
        {teach && <MatchPart device={device} />}
        <Box sx={{ display: { xs: 'none', md: 'block' } }}>
          <About device={device} />
        </Box>
      </div>
      {device.keys.length > 0 && (
        <Panel
          title={words.device.handset}
          aside={
            teach &&
            device.keys.length > 1 &&
            !arranging && (
              <Button size="small" onClick={() => setArranging(true)}>
                {words.device.arrange}
              </Button>
            )
          }
        >
          {arranging ? (
            <Arrange device={device} onDone={() => setArranging(false)} />
          ) : (
            <HandsetFace device={device} />
          )}
        </Panel>
      )}
      <Box sx={{ display: { md: 'none' } }}>
        <About device={device} />
      </Box>
    </Box>
  );
}

// TwoWays is how a device gets its codes: from its handset, or without it.
function TwoWays({ page }: { page: string }) {
  return (
    <Box sx={{ display: 'grid', gridTemplateColumns: { sm: '1fr 1fr' }, gap: 3, my: 2, maxWidth: 720 }}>
      {(['lesson', 'audition'] as const).map((way) => (
        <Box key={way} sx={{ display: 'grid', gap: 1, alignContent: 'start', justifyItems: 'start' }}>
          <Button
            component={Link}
            to={`${page}/${way}`}
            variant={way === 'lesson' ? 'contained' : 'outlined'}
          >
            {words.device.ways[way]}
          </Button>
          <Box sx={{ color: 'text.secondary' }}>{words.device.waysHow[way]}</Box>
        </Box>
      ))}
    </Box>
  );
}

function SettingsPart({ device }: { device: Device }) {
  const [phone, setPhone] = useState(false);
  return (
    <>
      <Settings device={device} />
      {phone ? (
        <PhonePart page={`/devices/${device.slug}`} />
      ) : (
        <Button variant="outlined" sx={{ mt: 3 }} onClick={() => setPhone(true)}>
          {words.device.phone}
        </Button>
      )}
    </>
  );
}
