import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { Link, useParams } from 'react-router';
import type { Device } from '../api/client';
import { useDevices, useUndo } from '../api/queries';
import { mono } from '../app/theme';
import { words } from '../app/words';
import { Heading, Note, Panel } from '../shared/Panel';
import { label, sends } from '../shared/text';
import { AdvicePart } from './AdvicePart';
import { HandsetFace } from './HandsetFace';
import { MatchPart } from './MatchPart';
import { Settings } from './Settings';

// DevicePage is one device: its handset's face, and what each key sends.
export default function DevicePage() {
  const { slug } = useParams();
  const devices = useDevices();
  const device = devices.data?.find((d) => d.slug === slug);
  if (devices.isPending) return <Note>{words.loading}</Note>;
  if (!device) return <Note alert>{words.devices.none}</Note>;
  const missing = device.keys.filter((k) => k.codes.length === 0).length;
  return (
    <>
      <Box component={Link} to="/devices" sx={{ color: 'text.secondary', display: 'inline-block', py: 1 }}>
        {words.device.back}
      </Box>
      <Heading
        title={device.name}
        under={[device.room, `${device.maker} ${device.model}`.trim()].filter(Boolean).join(' · ')}
      >
        {missing > 0 && (
          <Button component={Link} to={`/devices/${device.slug}/audition`} variant="outlined">
            {words.device.audition}
          </Button>
        )}
        <Button
          component={Link}
          to={`/devices/${device.slug}/lesson`}
          variant={missing > 0 ? 'contained' : 'outlined'}
        >
          {missing > 0 ? words.device.learnMissing(missing) : words.device.lesson}
        </Button>
      </Heading>
      <Box
        sx={{
          display: 'grid',
          gridTemplateColumns: { xs: 'minmax(0, 1fr)', md: '360px minmax(0, 1fr)' },
          columnGap: 6,
        }}
      >
        <Panel title={words.device.handset}>
          <HandsetFace device={device} />
        </Panel>
        <div>
          <AdvicePart device={device} />
          <MatchPart device={device} />
          <Codes device={device} />
          <Settings device={device} />
        </div>
      </Box>
    </>
  );
}

function Codes({ device }: { device: Device }) {
  const undo = useUndo(device.slug);
  return (
    <Panel title={words.device.codes}>
      <Box
        component="dl"
        sx={{
          m: 0,
          display: 'grid',
          gridTemplateColumns: 'minmax(84px, auto) minmax(0, 1fr) auto',
          columnGap: 3,
          rowGap: 0.75,
          alignItems: 'baseline',
        }}
      >
        {device.keys.map((k) => (
          <Box key={k.name} sx={{ display: 'contents' }}>
            <Box component="dt">{label(k.name)}</Box>
            <Box
              component="dd"
              sx={{
                m: 0,
                fontFamily: k.codes.length ? mono : undefined,
                fontSize: 14,
                color: k.codes.length ? 'text.primary' : 'text.secondary',
                overflowWrap: 'anywhere',
              }}
            >
              {k.codes.length > 0 ? k.codes.map(sends).join(', ') : words.device.notLearned}
            </Box>
            {k.version > 1 ? (
              <Button
                size="small"
                sx={{ minHeight: 32, py: 0 }}
                aria-label={words.device.undo(label(k.name))}
                onClick={() => undo.mutate(k.name)}
              >
                {words.device.undoShort}
              </Button>
            ) : (
              <span />
            )}
          </Box>
        ))}
      </Box>
      {undo.error && <Note alert>{undo.error.message}</Note>}
    </Panel>
  );
}
