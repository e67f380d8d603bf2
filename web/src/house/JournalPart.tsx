import Button from '@mui/material/Button';
import { useInfiniteQuery, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { client, unwrap, type Entry } from '../api/client';
import { keys, queryClient } from '../api/queries';
import { words } from '../app/words';
import { Note, Panel } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { JustCame } from '../shared/JustCame';
import { clock } from '../shared/text';
import { fold, noFilter, queryOf } from './journal';
import { JournalFilter } from './JournalFilter';
import { JournalRow } from './JournalRow';

const pageSize = 60;

// JournalPart is the record of what was heard, sent and done; each entry leads to its cause. New entries wait in
// its first line until somebody wants to see them: nothing that is read moves.
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
  const entries = journal.data?.pages.flatMap((p) => p.entries) ?? [];
  const { news, take } = useNews(entries);
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
      {!filtered && journal.data && (
        <JustCame
          waiting={news.length}
          text={news[0] ? `${clock(news[0].at)} ${news[0].text}` : ''}
          onShow={() => {
            take();
            window.scrollTo({ top: 0 });
          }}
        />
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

// useNews is what came in and is not shown yet, the newest first.
function useNews(shown: Entry[]): { news: Entry[]; take: () => void } {
  const news = useQuery<Entry[]>({ queryKey: keys.news, queryFn: () => [], initialData: [] });
  const take = () => {
    queryClient.setQueryData<Entry[]>(keys.news, []);
    void queryClient.invalidateQueries({ queryKey: keys.journal });
  };
  return { news: news.data.filter((e) => !shown.some((s) => s.id === e.id)), take };
}
