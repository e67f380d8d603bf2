import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useInfiniteQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { client, unwrap, type Entry } from '../api/client';
import { keys } from '../api/queries';
import { mono } from '../app/theme';
import { words } from '../app/words';
import { Note, Panel } from '../shared/Panel';
import { clock } from '../shared/text';

const pageSize = 60;

// JournalPart is the record of what was heard, sent and done; each entry leads to its cause.
export default function JournalPart() {
  const [marked, setMarked] = useState<string | null>(null);
  const journal = useInfiniteQuery({
    queryKey: keys.journal,
    initialPageParam: '',
    queryFn: ({ pageParam }) =>
      unwrap(
        client.GET('/api/journal', {
          params: { query: { limit: pageSize, before: pageParam || undefined } },
        }),
      ),
    getNextPageParam: (last) => (last.length === pageSize ? last.at(-1)?.id : undefined),
  });
  const entries = journal.data?.pages.flat() ?? [];
  const show = (id: string) => {
    setMarked(id);
    document.getElementById(`entry-${id}`)?.scrollIntoView({ block: 'center' });
  };
  return (
    <Panel title={words.house.journal}>
      {journal.error && <Note alert>{journal.error.message}</Note>}
      {journal.data && entries.length === 0 && <Note>{words.house.journalNone}</Note>}
      {entries.map((e) => (
        <Row
          key={e.id}
          entry={e}
          marked={marked === e.id}
          hasCause={entries.some((x) => x.id === e.cause_id)}
          onCause={show}
        />
      ))}
      {journal.hasNextPage && (
        <Button variant="outlined" sx={{ mt: 2 }} onClick={() => void journal.fetchNextPage()}>
          {words.house.older}
        </Button>
      )}
    </Panel>
  );
}

const colours: Partial<Record<Entry['kind'], string>> = {
  heard: 'received',
  settled: 'received',
  press: 'secondary.main',
  echo: 'secondary.main',
};

type RowProps = { entry: Entry; marked: boolean; hasCause: boolean; onCause: (id: string) => void };

function Row({ entry: e, marked, hasCause, onCause }: RowProps) {
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
        {e.by && (
          <Box component="span" sx={{ color: 'text.secondary' }}>
            {' '}
            · {words.house.by(e.by)}
          </Box>
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
