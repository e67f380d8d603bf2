import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { Link, useParams } from 'react-router';
import { words } from '../app/words';
import { Heading, Panel } from '../shared/Panel';
import { CaptureList } from './CaptureList';
import { ImportPart } from './ImportPart';
import { Workspace } from './Workspace';

// BenchPage is for looking into signals: what was heard beside what is on the bench. On a phone they are two pages.
export default function BenchPage() {
  const { capture } = useParams();
  return (
    <>
      <Heading title={words.bench.title} under={words.bench.under}>
        {capture && (
          <Button component={Link} to="/bench">
            {words.bench.all}
          </Button>
        )}
      </Heading>
      <Box
        sx={{
          display: 'grid',
          gridTemplateColumns: { xs: 'minmax(0, 1fr)', md: '270px minmax(0, 1fr)' },
          columnGap: 5,
          alignItems: 'start',
        }}
      >
        <Box sx={{ display: { xs: capture ? 'none' : 'block', md: 'block' } }}>
          <Panel title={words.bench.heard}>
            <CaptureList open={capture} />
          </Panel>
        </Box>
        <Box sx={{ order: { xs: -1, md: 0 } }}>
          {capture ? <Workspace key={capture} id={capture} /> : <ImportPart />}
        </Box>
      </Box>
    </>
  );
}
