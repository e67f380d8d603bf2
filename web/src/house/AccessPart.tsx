import Button from '@mui/material/Button';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { client, unwrap, type Session } from '../api/client';
import { keys } from '../api/queries';
import { stale } from '../api/stale';
import { words } from '../app/words';
import { Note, Panel } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { clock } from '../shared/text';
import { Line } from './Line';
import { whereText } from './people';

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
  return (
    <>
      <Failed of={[sessions, tokens, end, remove]} />
      <Panel title={words.house.sessions}>
        {sessions.data?.map((s) => (
          <Line
            key={s.id}
            name={s.person}
            about={[browser(s), s.created ? words.house.signedIn(clock(s.created)) : '', used(s)]}
          >
            {s.this ? (
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
            )}
          </Line>
        ))}
      </Panel>
      <Panel title={words.house.tokens}>
        {tokens.data?.length === 0 && <Note>{words.house.noTokens}</Note>}
        {tokens.data?.map((t) => (
          <Line key={t.id} name={t.name} about={[words.house.scope(t.scope, whereText(t.where)), used(t)]}>
            {
              <Button
                size="small"
                variant="outlined"
                aria-label={words.house.removeTokenName(t.name)}
                onClick={() => (sure === t.id ? remove.mutate(t.name) : setSure(t.id))}
              >
                {sure === t.id ? words.house.removeTokenSure : words.house.removeToken}
              </Button>
            }
          </Line>
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
