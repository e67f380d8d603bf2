import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import { client, unwrap, type Session } from '../api/client';
import { keys } from '../api/queries';
import { stale } from '../api/stale';
import { words } from '../app/words';
import { Note, Panel } from '../shared/Panel';
import { clock } from '../shared/text';

// AccessPart lists who may come in: signed-in browsers, and programs with a token.
export default function AccessPart() {
  const sessions = useQuery({
    queryKey: keys.sessions,
    queryFn: () => unwrap(client.GET('/api/sessions')),
  });
  const tokens = useQuery({ queryKey: keys.tokens, queryFn: () => unwrap(client.GET('/api/tokens')) });
  const end = useMutation({
    mutationFn: (session: string) =>
      unwrap(client.DELETE('/api/sessions/{session}', { params: { path: { session } } })),
    onSuccess: () => stale(keys.sessions),
  });
  const remove = useMutation({
    mutationFn: (name: string) => unwrap(client.DELETE('/api/tokens/{name}', { params: { path: { name } } })),
    onSuccess: () => stale(keys.tokens),
  });
  const [sure, setSure] = useState(''); // id of the token that is to go: it is asked once
  const trouble = sessions.error ?? tokens.error ?? end.error ?? remove.error;
  return (
    <>
      {trouble && <Note alert>{trouble.message}</Note>}
      <Panel title={words.house.sessions}>
        {sessions.data?.map((s) => (
          <Row
            key={s.id}
            name={browser(s)}
            about={[s.created ? words.house.signedIn(clock(s.created)) : '', used(s)]}
            aside={
              s.this ? (
                words.house.thisOne
              ) : (
                <Button
                  size="small"
                  variant="outlined"
                  aria-label={words.house.endName(browser(s))}
                  onClick={() => end.mutate(s.id)}
                >
                  {words.house.end}
                </Button>
              )
            }
          />
        ))}
      </Panel>
      <Panel title={words.house.tokens}>
        {tokens.data?.length === 0 && <Note>{words.house.noTokens}</Note>}
        {tokens.data?.map((t) => (
          <Row
            key={t.id}
            name={t.name}
            about={[words.house.scope(t.scope), used(t)]}
            aside={
              <Button
                size="small"
                variant="outlined"
                aria-label={words.house.removeTokenName(t.name)}
                onClick={() => (sure === t.id ? remove.mutate(t.name) : setSure(t.id))}
              >
                {sure === t.id ? words.house.removeTokenSure : words.house.removeToken}
              </Button>
            }
          />
        ))}
      </Panel>
    </>
  );
}

// browser is what a browser calls itself, as far as a person wants to know.
function browser(s: Session): string {
  const known = /(Firefox|Edg|Chrome|Safari)\/([0-9]+)/.exec(s.browser);
  const on = /(Android|iPhone|iPad|Windows|Mac OS X|Linux)/.exec(s.browser);
  const name = known ? `${known[1] ?? ''} ${known[2] ?? ''}` : s.browser.slice(0, 40);
  return [name || words.house.unknownBrowser, on?.[0]].filter(Boolean).join(', ');
}

const used = (x: { used?: string; from?: string }): string =>
  x.used ? words.house.used(clock(x.used), x.from ?? '') : words.house.neverUsed;

function Row({ name, about, aside }: { name: string; about: string[]; aside: ReactNode }) {
  return (
    <Box
      sx={{
        display: 'flex',
        alignItems: 'center',
        gap: 2,
        minHeight: 52,
        flexWrap: 'wrap',
        '& + &': { borderTop: '1px dotted', borderColor: 'divider' },
      }}
    >
      <Box component="span" sx={{ fontWeight: 600 }}>
        {name}
      </Box>
      <Box component="span" sx={{ color: 'text.secondary' }}>
        {about.filter(Boolean).join(' · ')}
      </Box>
      <Box component="span" sx={{ ml: 'auto', color: 'text.secondary' }}>
        {aside}
      </Box>
    </Box>
  );
}
