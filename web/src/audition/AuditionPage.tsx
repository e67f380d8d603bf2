import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useState } from 'react';
import { Link, useParams } from 'react-router';
import type { NewAudition } from '../api/client';
import { useDevice } from '../api/queries';
import { words } from '../app/words';
import { Heading, Note } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { AuditionChoice } from './AuditionChoice';
import { AuditionRun } from './AuditionRun';
import { isOver } from './phase';
import { StageAppliance } from './StageAppliance';
import { useAuditions, useStartAudition } from './useAudition';

// AuditionPage finds the codes of a device without a handset: first what is to be played, then it plays.
export default function AuditionPage() {
  const { slug = '' } = useParams();
  const found = useDevice(slug);
  const auditions = useAuditions();
  const start = useStartAudition();
  const [mine, setMine] = useState('');
  const device = found.data;
  if (found.error) return <Note alert>{found.error.message}</Note>;
  if (!device || !auditions.data) return <Note>{words.loading}</Note>;

  const last = auditions.data.find((a) => a.device === slug);
  const shown = last && (!isOver(last) || last.id === mine) ? last : undefined;
  const begin = (body: NewAudition) => start.mutate(body, { onSuccess: (a) => setMine(a.id) });
  return (
    <>
      <Box
        component={Link}
        to={`/devices/${slug}`}
        sx={{ color: 'text.secondary', display: 'inline-block', py: 1 }}
      >
        {device.name}
      </Box>
      {shown ? (
        <AuditionRun audition={shown} onAgain={() => setMine('')}>
          {!isOver(shown) && <StageAppliance slug={slug} />}
        </AuditionRun>
      ) : (
        <>
          <Heading title={words.audition.title} under={words.audition.how} />
          <AuditionChoice key={slug} device={device} onStart={begin} busy={start.isPending} />
          <Failed of={[start]} />
        </>
      )}
      {shown && isOver(shown) && (
        <Button component={Link} to={`/devices/${slug}`} variant="contained" sx={{ mt: 3 }}>
          {words.lesson.toDevice}
        </Button>
      )}
    </>
  );
}
