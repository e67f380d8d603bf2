import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { Link, useParams, useSearchParams } from 'react-router';
import { useDevice } from '../api/queries';
import { useLessons, useStartLesson } from './queries';
import { words } from '../app/words';
import { NoReceiver } from '../house/NoReceiver';
import { Heading, Note } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { LessonChoice } from './LessonChoice';
import { LessonRun } from './LessonRun';
import { StageHandset } from './StageHandset';

// LessonPage teaches Urbo a device: first the keys are chosen, then each is asked for.
export default function LessonPage() {
  const { slug = '' } = useParams();
  const [query, setQuery] = useSearchParams();
  const found = useDevice(slug);
  const lessons = useLessons();
  const start = useStartLesson();
  const device = found.data;
  if (found.error) return <Note alert>{found.error.message}</Note>;
  if (!device || !lessons.data) return <Note>{words.loading}</Note>;

  const wanted = query.get('key');
  const last = lessons.data.find((l) => l.device === slug);
  const shown =
    last && (last.state === 'running' || last.state === 'paused' || query.get('lesson') === last.id)
      ? last
      : undefined;
  const begin = (keys: string[] | 'free') =>
    start.mutate(keys === 'free' ? { device: slug, free: true } : { device: slug, keys }, {
      onSuccess: (l) => setQuery({ lesson: l.id }, { replace: true }),
    });
  return (
    <>
      <Box
        component={Link}
        to={`/devices/${slug}`}
        sx={{ color: 'text.secondary', display: 'inline-block', py: 1 }}
      >
        {device.name}
      </Box>
      <NoReceiver />
      {shown ? (
        <LessonRun lesson={shown} onAgain={() => setQuery({}, { replace: true })}>
          {shown.state === 'running' && <StageHandset slug={slug} />}
        </LessonRun>
      ) : (
        <>
          <Heading title={words.lesson.title} under={words.lesson.startHow} />
          <LessonChoice key={slug} device={device} wanted={wanted} onStart={begin} busy={start.isPending} />
          <Failed of={[start]} />
        </>
      )}
      {shown && shown.state !== 'running' && (
        <Button component={Link} to={`/devices/${slug}`} variant="contained" sx={{ mt: 3 }}>
          {words.lesson.toDevice}
        </Button>
      )}
    </>
  );
}
