import Box from '@mui/material/Box';
import { useMutation } from '@tanstack/react-query';
import { useEffect, useRef } from 'react';
import { Navigate } from 'react-router';
import { client, unwrap } from '../api/client';
import { useMe } from '../api/queries';
import { mono } from '../app/theme';
import { words } from '../app/words';
import { Heading, Note } from '../shared/Panel';
import { FirstName } from './FirstName';

// enter goes to the first page; everything is asked for anew, now with a session.
const enter = () => window.location.replace('/boards');

// SignInPage trades the ticket behind the # of a sign-in link for a session, and says how to get a link. Whoever signs
// in first says their name.
export function SignInPage() {
  const ticket = window.location.hash.slice(1);
  const tried = useRef(false);
  const { mutate, data, error, isPending } = useMutation({
    mutationFn: async () => {
      await unwrap(client.POST('/api/sign-in', { body: { ticket } }));
      return unwrap(client.GET('/api/me'));
    },
    onSuccess: (me) => {
      if (!me.unnamed) enter();
    },
  });
  useEffect(() => {
    if (ticket && !tried.current) {
      tried.current = true;
      mutate();
    }
  }, [ticket, mutate]);
  // An old link does no harm to somebody who is signed in already.
  const me = useMe(!ticket || error !== null);
  if (me.data && !me.isError) return <Navigate to="/boards" replace />;
  if (data?.unnamed) return <FirstName was={data.name} onDone={enter} />;
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
        </>
      )}
    </Box>
  );
}
