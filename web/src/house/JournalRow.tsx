import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import type { Entry } from '../api/client';
import { mono } from '../app/theme';
import { words } from '../app/words';
import { clock } from '../shared/text';
import type { Told } from './journal';

const colours: Partial<Record<Entry['kind'], string>> = {
  heard: 'received',
  settled: 'received',
  press: 'secondary.main',
  echo: 'secondary.main',
};

type RowProps = { entry: Told; marked: boolean; hasCause: boolean; onCause: (id: string) => void };

// JournalRow is one entry, with where its echoes were heard under it.
export function JournalRow({ entry: e, marked, hasCause, onCause }: RowProps) {
  const cause = e.cause_id;
  return (
    <Box
      id={`entry-${e.id}`}
      sx={{
        display: 'grid',
        gridTemplateColumns: { xs: '1fr auto', sm: '100px 70px 1fr auto' },
        columnGap: 2,
        alignItems: 'baseline',
        py: 0.75,
        borderTop: '1px dotted',
        borderColor: 'divider',
        outline: marked ? '2px solid' : 'none',
      }}
    >
      <Box component="span" sx={{ fontFamily: mono, fontSize: 13 }}>
        {clock(e.at)}
      </Box>
      <Box component="span" sx={{ color: colours[e.kind] ?? 'text.secondary', fontSize: 14 }}>
        {e.kind}
      </Box>
      <Box component="span" sx={{ overflowWrap: 'anywhere', gridColumn: { xs: '1 / -1', sm: 'auto' } }}>
        {e.text}
        {e.outcome && e.outcome !== 'sent' && ` (${e.outcome})`}
        {e.by && <Quiet> · {words.house.by(e.via ? `${e.by}, ${e.via}` : e.by)}</Quiet>}
        {e.echoes.length > 0 && (
          <Quiet> · {words.journal.heardBy(e.echoes.map((x) => x.place ?? '').filter(Boolean))}</Quiet>
        )}
      </Box>
      {cause && hasCause ? (
        <Button size="small" sx={{ minHeight: 32, py: 0 }} onClick={() => onCause(cause)}>
          {words.house.cause}
        </Button>
      ) : (
        <span />
      )}
    </Box>
  );
}

function Quiet({ children }: { children: React.ReactNode }) {
  return (
    <Box component="span" sx={{ color: 'text.secondary' }}>
      {children}
    </Box>
  );
}
