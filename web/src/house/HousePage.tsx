import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { lazy, Suspense } from 'react';
import { Navigate, useParams } from 'react-router';
import { client, unwrap } from '../api/client';
import { useMay } from '../api/may';
import { queryClient, useAbout, useMe } from '../api/queries';
import { words } from '../app/words';
import { Heading, Note, Panel } from '../shared/Panel';
import { Parts } from '../shared/Parts';
import { clock } from '../shared/text';
import { HouseFacts } from './HouseFacts';
import { OutagePart } from './OutagePart';

const StagePart = lazy(() => import('./StagePart'));
const JournalPart = lazy(() => import('./JournalPart'));
const StationsPart = lazy(() => import('./StationsPart'));
const QrPart = lazy(() => import('../devices/QrPart'));
const AccessPart = lazy(() => import('./AccessPart'));
const PeoplePart = lazy(() => import('./PeoplePart'));
const FacesPart = lazy(() => import('./FacesPart'));
const RoomsPart = lazy(() => import('./RoomsPart'));

// HousePage is everything behind the devices, in parts.
export default function HousePage() {
  const { part } = useParams();
  const about = useAbout();
  const may = useMay();
  if (!about.data) return <Note>{words.loading}</Note>;
  const shown: Record<Part, boolean> = {
    stage: about.data.parts.includes('stage') && may('see', true),
    journal: true,
    stations: may('see', true),
    rooms: may('keep', true),
    people: may('keep', true),
    faces: may('keep', true),
    access: may('keep', true),
    about: true,
  };
  const parts = (Object.keys(shown) as Part[]).filter((p) => shown[p]);
  if (!part || !parts.includes(part as Part))
    return <Navigate to={`/house/${parts[0] ?? 'journal'}`} replace />;
  return (
    <>
      <Heading title={words.house.title} />
      <Parts
        title={words.house.title}
        parts={parts.map((p) => ({ to: `/house/${p}`, name: words.house[p] }))}
      />
      <Suspense fallback={<Note>{words.loading}</Note>}>
        {part === 'stage' && <StagePart />}
        {part === 'journal' && <JournalPart />}
        {part === 'stations' && <StationsPart />}
        {part === 'rooms' && <RoomsPart />}
        {part === 'people' && <PeoplePart />}
        {part === 'faces' && <FacesPart />}
        {part === 'access' && <AccessPart />}
        {part === 'about' && <HouseFacts change={may('keep', true)} />}
        {part === 'about' && <AboutPart />}
        {part === 'about' && may('tell', true) && <OutagePart />}
      </Suspense>
    </>
  );
}

type Part = 'stage' | 'journal' | 'stations' | 'rooms' | 'people' | 'faces' | 'access' | 'about';

function AboutPart() {
  const about = useAbout();
  const me = useMe();
  const may = useMay();
  const signOut = async () => {
    await unwrap(client.POST('/api/sign-out'));
    queryClient.clear();
    window.location.assign('/sign-in');
  };
  const facts: [string, string][] = about.data
    ? [
        [words.house.you, me.data?.role ? `${me.data.name}, ${me.data.role}` : (me.data?.name ?? '')],
        [words.house.version, about.data.version],
        [words.house.started, clock(about.data.started)],
        [words.house.sheets, String(about.data.sheets)],
      ]
    : [];
  return (
    <Panel title={words.house.about}>
      <Box
        component="dl"
        sx={{ display: 'grid', gridTemplateColumns: 'auto 1fr', columnGap: 4, rowGap: 1, m: 0, mb: 3 }}
      >
        {facts.map(([name, value]) => (
          <Box key={name} sx={{ display: 'contents' }}>
            <Box component="dt" sx={{ color: 'text.secondary' }}>
              {name}
            </Box>
            <Box component="dd" sx={{ m: 0 }}>
              {value}
            </Box>
          </Box>
        ))}
      </Box>
      {!window.isSecureContext && <PlainNote />}
      {about.data?.trust_url && (
        <Suspense fallback={<Note>{words.loading}</Note>}>
          <Note>{words.house.trust}</Note>
          <QrPart address={about.data.trust_url} />
        </Suspense>
      )}
      {may('keep', true) && (
        <Button variant="outlined" component="a" href="/api/backup" download sx={{ mr: 1 }}>
          {words.house.backup}
        </Button>
      )}
      <Button variant="outlined" onClick={() => void signOut()}>
        {words.house.signOut}
      </Button>
    </Panel>
  );
}

// PlainNote says what a page without encryption lacks, and how to get it.
function PlainNote() {
  return (
    <Box component="section" aria-label={words.house.plain} sx={{ maxWidth: '62ch', mb: 2 }}>
      <Box component="h3" sx={{ m: 0, fontSize: '1rem' }}>
        {words.house.plain}
      </Box>
      <p style={{ margin: '0.5rem 0' }}>{words.house.plainHow}</p>
      <ol style={{ margin: 0, paddingLeft: '1.4rem' }}>
        {words.house.plainSteps(window.location.hostname).map(([command, does]) => (
          <li key={command}>
            <code>{command}</code> {does}
          </li>
        ))}
      </ol>
      <p style={{ margin: '0.5rem 0' }}>{words.house.plainThen}</p>
    </Box>
  );
}
