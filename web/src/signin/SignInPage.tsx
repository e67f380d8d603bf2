import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useMutation } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import { Navigate } from 'react-router';
import { client, unwrap } from '../api/client';
import { useMe } from '../api/queries';
import { mono } from '../app/theme';
import { words } from '../app/words';
import { Heading, Note } from '../shared/Panel';
import { FirstName } from './FirstName';
import { pageOf, ticketOf } from './link';

// enter goes to the page that the link leads to, or the first one; everything is asked for anew, now with a session.
const enter = () => window.location.replace(pageOf(window.location.search));

// SignInPage trades the ticket behind the # of a sign-in link for a session, also where the link is opened in a tab that
// shows this page already, or is pasted into its field. Whoever signs in first says their name.
export function SignInPage() {
  const [ticket, setTicket] = useState(ticketOf(window.location.hash));
  const tried = useRef('');
  const { mutate, data, error, isPending } = useMutation({
    mutationFn: async (ticket: string) => {
      await unwrap(client.POST('/api/sign-in', { body: { ticket } }));
      return unwrap(client.GET('/api/me'));
    },
    onSuccess: (me) => {
      if (!me.unnamed) enter();
    },
  });
  useEffect(() => {
    const look = () => setTicket(ticketOf(window.location.hash));
    window.addEventListener('hashchange', look);
    return () => window.removeEventListener('hashchange', look);
  }, []);
  useEffect(() => {
    if (ticket && tried.current !== ticket) {
      tried.current = ticket;
      mutate(ticket);
    }
  }, [ticket, mutate]);
  // An old link does no harm to somebody who is signed in already.
  const me = useMe(!ticket || error !== null);
  if (data?.unnamed) return <FirstName was={data.name} onDone={enter} />;
  if (me.data && !me.isError && !data && !isPending) {
    return <Navigate to={pageOf(window.location.search)} replace />;
  }
  return (
    <Box component="main" sx={{ maxWidth: 560, mx: 'auto', px: 3, pt: '14vh' }}>
      <Heading title={words.signIn.title} />
      {isPending || data ? (
        <Note>{words.signIn.busy}</Note>
      ) : (
        <>
          {error && <Note alert>{error.message}</Note>}
          <Note>{words.signIn.how}</Note>
          <Box sx={{ fontFamily: mono, borderLeft: 3, borderColor: 'received', pl: 2, py: 1 }}>
            {words.signIn.command}
          </Box>
          <Pasted onTicket={mutate} />
        </>
      )}
    </Box>
  );
}

// Pasted is a field for a link that was sent by other ways.
function Pasted({ onTicket }: { onTicket: (ticket: string) => void }) {
  const [text, setText] = useState('');
  return (
    <Box
      component="form"
      aria-label={words.signIn.paste}
      sx={{ display: 'flex', gap: 1, mt: 3, alignItems: 'center' }}
      onSubmit={(e) => {
        e.preventDefault();
        onTicket(ticketOf(text));
      }}
    >
      <TextField
        label={words.signIn.paste}
        value={text}
        autoComplete="off"
        sx={{ flex: 1 }}
        slotProps={{ htmlInput: { maxLength: 400, spellCheck: false } }}
        onChange={(e) => setText(e.target.value)}
      />
      <Button type="submit" variant="contained" disabled={!ticketOf(text)}>
        {words.signIn.title}
      </Button>
    </Box>
  );
}
