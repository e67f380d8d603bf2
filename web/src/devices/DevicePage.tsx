import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { lazy, useState } from 'react';
import { Link, Navigate, useParams } from 'react-router';
import { useMay } from '../api/may';
import { useDevice } from '../api/queries';
import { words } from '../app/words';
import { ControlsPart } from '../controls/ControlsPart';
import { PairPart } from '../controls/PairPart';
import { ProposePart } from '../controls/ProposePart';
import { Heading, Note, Panel } from '../shared/Panel';
import { About } from './About';
import { AdvicePart } from './AdvicePart';
import { Arrange } from './Arrange';
import { Codes } from './Codes';
import { HandsetFace } from './HandsetFace';
import { MatchPart } from './MatchPart';
import { Settings } from './Settings';

const QrPart = lazy(() => import('./QrPart'));

// pairs are the kinds of devices that may obey paired handsets only.
const pairs = ['shutter', 'screen', 'socket', 'other'];

// DevicePage is one device: its handset's face, and what each key sends.
export default function DevicePage() {
  const { slug = '' } = useParams();
  const found = useDevice(slug);
  const [phone, setPhone] = useState(false);
  const [arranging, setArranging] = useState(false);
  const may = useMay();
  const teach = may('teach');
  const device = found.data;
  if (found.error) return <Note alert>{found.error.message}</Note>;
  if (!device) return <Note>{words.loading}</Note>;
  if (device.slug !== slug) return <Navigate to={`/devices/${device.slug}`} replace />;
  const missing = device.keys.filter((k) => k.codes.length === 0 && !k.heard?.length).length;
  return (
    <>
      <Box component={Link} to="/devices" sx={{ color: 'text.secondary', display: 'inline-block', py: 1 }}>
        {words.device.back}
      </Box>
      <Heading
        title={device.name}
        under={[device.room, `${device.maker} ${device.model}`.trim()].filter(Boolean).join(' · ')}
      >
        <Button
          aria-pressed={phone}
          onClick={() => setPhone(!phone)}
          sx={{ display: { xs: 'none', md: 'inline-flex' } }}
        >
          {words.device.phone}
        </Button>
        {teach && missing > 0 && (
          <Button component={Link} to={`/devices/${device.slug}/audition`} variant="outlined">
            {words.device.audition}
          </Button>
        )}
        {teach && (
          <Button
            component={Link}
            to={`/devices/${device.slug}/lesson`}
            variant={missing > 0 ? 'contained' : 'outlined'}
          >
            {missing > 0 ? words.device.learnMissing(missing) : words.device.lesson}
          </Button>
        )}
      </Heading>
      {device.controls?.length && <ControlsPart device={device} />}
      <Box
        sx={{
          display: 'grid',
          gridTemplateColumns: { xs: 'minmax(0, 1fr)', md: '360px minmax(0, 1fr)' },
          columnGap: 6,
        }}
      >
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
        <div>
          {teach && !device.controls?.length && <ProposePart device={device} />}
          {phone && <QrPart address={`${location.origin}/devices/${device.slug}`} />}
          <About device={device} />
          {teach && (
            <>
              <AdvicePart device={device} />
              <MatchPart device={device} />
              <Codes device={device} />
              {pairs.includes(device.kind) && <PairPart device={device} />}
              <Settings device={device} />
            </>
          )}
        </div>
      </Box>
    </>
  );
}
