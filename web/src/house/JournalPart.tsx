import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useInfiniteQuery, useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { client, unwrap, type Entry } from '../api/client';
import { keys, queryClient } from '../api/queries';
import { words } from '../app/words';
import { Note, Panel } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { fold, noFilter, queryOf } from './journal';
import { JournalFilter } from './JournalFilter';
import { JournalRow } from './JournalRow';

const pageSize = 60;

// near is how far down a page may be scrolled, in px, for new entries to come in by themselves.
const near = 120;

// JournalPart is the record of what was heard, sent and done; each entry leads to its cause. New entries wait behind a
// button while somebody reads further down or looks for something: nothing that is read moves.
export default function JournalPart() {
  const [marked, setMarked] = useState<string | null>(null);
  const [filter, setFilter] = useState(noFilter);
  const query = queryOf(filter);
  const filtered = Object.keys(query).length > 0;
  const journal = useInfiniteQuery({
    queryKey: [...keys.journal, query],
    initialPageParam: '',
    queryFn: ({ pageParam }) =>
      unwrap(
        client.GET('/api/journal', {
          params: { query: { ...query, limit: pageSize, before: pageParam || undefined } as object },
        }),
      ),
    getNextPageParam: (last) => last.more,
  });
  const { waiting, take } = useNews(filtered);
  const entries = journal.data?.pages.flatMap((p) => p.entries) ?? [];
  const show = (id: string) => {
    setMarked(id);
    document.getElementById(`entry-${id}`)?.scrollIntoView({ block: 'center' });
  };
  return (
    <Panel title={words.house.journal}>
      <JournalFilter filter={filter} onChange={setFilter} />
      <Failed of={[journal]} />
      {journal.data && entries.length === 0 && (
        <Note>{filtered ? words.journal.noMatch : words.house.journalNone}</Note>
      )}
      {waiting > 0 && (
        <Box sx={{ position: 'sticky', top: 8, zIndex: 1, display: 'flex', justifyContent: 'center' }}>
          <Button
            variant="contained"
            size="small"
            onClick={() => {
              take();
              window.scrollTo({ top: 0 });
            }}
          >
            {words.journal.news(waiting)}
          </Button>
        </Box>
      )}
      {fold(entries).map((e) => (
        <JournalRow
          key={e.id}
          entry={e}
          marked={marked === e.id}
          hasCause={entries.some((x) => x.id === e.cause_id)}
          onCause={show}
        />
      ))}
      {journal.hasNextPage && (
        <Button
          variant="outlined"
          sx={{ mt: 2 }}
          disabled={journal.isFetchingNextPage}
          onClick={() => void journal.fetchNextPage()}
        >
          {words.house.older}
        </Button>
      )}
    </Panel>
  );
}

// useNews counts what came in and is not shown yet. At the top of the whole journal it is shown at once.
function useNews(filtered: boolean): { waiting: number; take: () => void } {
  const news = useQuery<Entry[]>({ queryKey: keys.news, queryFn: () => [], initialData: [] });
  const waiting = news.data.length;
  const take = () => {
    queryClient.setQueryData<Entry[]>(keys.news, []);
    void queryClient.invalidateQueries({ queryKey: keys.journal });
  };
  useEffect(() => {
    if (waiting > 0 && !filtered && window.scrollY < near) {
      const soon = window.setTimeout(take, 250); // several come together
      return () => window.clearTimeout(soon);
    }
    return undefined;
  }, [waiting, filtered]);
  return { waiting, take };
}
