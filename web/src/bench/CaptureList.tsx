import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useState } from 'react';
import { Link } from 'react-router';
import { client, unwrap, type Capture } from '../api/client';
import { useCaptures } from '../api/queries';
import { mono } from '../app/theme';
import { words } from '../app/words';
import { Note } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { JustCame } from '../shared/JustCame';
import { clock, label, read } from '../shared/text';
import { fold } from './fold';

const pageSize = 50;

// CaptureList is what was heard and read from recordings, newest first. What comes while the page is open waits in its first
// line; older ones are read when asked for.
export function CaptureList({ open }: { open?: string }) {
  const live = useCaptures();
  const [older, setOlder] = useState<Capture[]>([]);
  const [ended, setEnded] = useState(false);
  const [seen, setSeen] = useState<string>(); // the newest one that is shown
  const heard = live.data ?? [];
  if (seen === undefined && heard[0]) setSeen(heard[0].id);
  const waiting = heard.filter((c) => seen !== undefined && c.id > seen); // ids are in order of time
  const newest = heard.filter((c) => seen !== undefined && c.id <= seen);
  const all = [...newest, ...older.filter((o) => !newest.some((n) => n.id === o.id))];
  const more = async () => {
    const page = await unwrap(
      client.GET('/api/captures', { params: { query: { limit: pageSize, before: all.at(-1)?.id } } }),
    );
    setOlder([...older, ...page]);
    setEnded(page.length < pageSize);
  };
  return (
    <>
      <Failed of={[live]} />
      {live.data?.length === 0 && <Note>{words.bench.none}</Note>}
      {seen !== undefined && (
        <JustCame
          waiting={waiting.length}
          text={waiting[0] ? [clock(waiting[0].at), names(waiting[0]) || what(waiting[0])].join(' ') : ''}
          to={waiting[0] && `/bench/${waiting[0].id}`}
          onShow={() => setSeen(heard[0]?.id)}
        />
      )}
      {fold(all).map((group) => (
        <Group key={group.at(-1)?.id} of={group} open={open} />
      ))}
      {!ended && heard.length >= pageSize && (
        <Button variant="outlined" sx={{ mt: 2 }} onClick={() => void more()}>
          {words.bench.older}
        </Button>
      )}
    </>
  );
}

// what says what a capture is.
export function what(c: Capture): string {
  const best = c.readings[0];
  if (best) return read(best);
  return c.held ? words.bench.held(c.held) : words.bench.noCode;
}

// names says which keys a capture is, or that Urbo sent it; "" where nobody knows.
export function names(c: Capture): string {
  return c.echo ? words.bench.echo : c.keys.map((k) => `${k.device} ${label(k.key)}`).join(', ');
}

// Group is captures that say the same: the newest stands for the others, until somebody wants to see them.
function Group({ of, open }: { of: Capture[]; open?: string }) {
  const [unfolded, setUnfolded] = useState(false);
  const [first, ...rest] = of;
  const all = unfolded || rest.some((c) => c.id === open);
  return (
    <>
      {first && <Item capture={first} open={first.id === open} />}
      {all && rest.map((c) => <Item key={c.id} capture={c} open={c.id === open} />)}
      {rest.length > 0 && !all && (
        <Button
          size="small"
          aria-expanded={false}
          onClick={() => setUnfolded(true)}
          sx={{ color: 'text.secondary', ml: 0.75 }}
        >
          {words.bench.alike(rest.length)}
        </Button>
      )}
    </>
  );
}

function Item({ capture: c, open }: { capture: Capture; open: boolean }) {
  const named = names(c);
  return (
    <Box
      component={Link}
      to={`/bench/${c.id}`}
      aria-current={open ? 'true' : undefined}
      sx={{
        display: 'block',
        color: 'inherit',
        textDecoration: 'none',
        borderTop: 1,
        borderColor: 'divider',
        borderLeft: '3px solid',
        borderLeftColor: open ? 'text.primary' : 'transparent',
        pl: 1.5,
        py: 1,
        minHeight: 44,
        '&:focus-visible': { outline: '3px solid', outlineOffset: -3 },
      }}
    >
      <Box sx={{ display: 'flex', justifyContent: 'space-between', gap: 1 }}>
        <Box component="span" sx={{ fontFamily: mono, fontSize: 14 }}>
          {clock(c.at)}
        </Box>
        <Box component="span" sx={{ color: 'text.secondary', fontSize: 14, overflowWrap: 'anywhere' }}>
          {c.station} {c.port}
          {c.count > 1 && ` · ${c.count} ×`}
        </Box>
      </Box>
      <Box sx={{ fontFamily: mono, fontSize: 14, overflowWrap: 'anywhere' }}>{what(c)}</Box>
      {(named || !c.stored) && (
        <Box sx={{ color: c.echo ? 'secondary.main' : 'received', fontWeight: 600, fontSize: 14 }}>
          {named}
          {!c.stored && ` (${words.bench.notStored})`}
        </Box>
      )}
    </Box>
  );
}
