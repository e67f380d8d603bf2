import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useMutation, useQuery } from '@tanstack/react-query';
import { Fragment, lazy, Suspense, useState } from 'react';
import { client, unwrap, type Person, type Ticket } from '../api/client';
import { keys } from '../api/queries';
import { stale } from '../api/stale';
import { words } from '../app/words';
import { Note, Panel } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { clock } from '../shared/text';
import { ChangePerson } from './ChangePerson';
import { LetIn } from './LetIn';
import { Line } from './Line';
import { whereText } from './people';

const QrCode = lazy(() => import('../devices/QrPart').then((m) => ({ default: m.QrCode })));

// PeoplePart is who may sign in, and how somebody is let in.
export default function PeoplePart() {
  const people = useQuery({ queryKey: keys.people, queryFn: () => unwrap(client.GET('/api/people')) });
  const [adding, setAdding] = useState(false);
  const [changing, setChanging] = useState(''); // id of the person
  const link = useMutation({
    mutationFn: (person: string) =>
      unwrap(client.POST('/api/people/{person}/link', { params: { path: { person } } })),
  });
  return (
    <Panel
      title={words.people.title}
      aside={
        <Button size="small" variant="contained" onClick={() => setAdding(!adding)} aria-expanded={adding}>
          {words.people.letIn}
        </Button>
      }
    >
      <Note>{words.people.how}</Note>
      <Failed of={[people, link]} />
      {adding && (
        <LetIn
          onDone={(name) => {
            setAdding(false);
            if (name) link.mutate(name);
          }}
        />
      )}
      {people.data?.map((p) =>
        changing === p.id ? (
          <ChangePerson key={p.id} person={p} onDone={() => setChanging('')} />
        ) : (
          <Fragment key={p.id}>
            <PersonLine person={p} onLink={() => link.mutate(p.name)} onChange={() => setChanging(p.id)} />
            {link.data?.person === p.name && <LinkOf ticket={link.data} onDone={() => link.reset()} />}
          </Fragment>
        ),
      )}
    </Panel>
  );
}

function PersonLine({
  person: p,
  onLink,
  onChange,
}: {
  person: Person;
  onLink: () => void;
  onChange: () => void;
}) {
  const [sure, setSure] = useState(false); // it is asked once
  const remove = useMutation({
    mutationFn: () => unwrap(client.DELETE('/api/people/{person}', { params: { path: { person: p.id } } })),
    onSuccess: () => [keys.people, keys.sessions, keys.tokens].forEach(stale),
  });
  const about = [
    words.people.roles[p.role] ?? p.role,
    whereText(p.where),
    p.until ? words.people.until(clock(p.until)) : '',
    words.people.browsers(p.browsers),
    p.user ? words.people.userIs(p.user) : '',
  ];
  return (
    <>
      <Line name={p.name} about={about}>
        <Button size="small" variant="outlined" aria-label={words.people.linkName(p.name)} onClick={onLink}>
          {words.people.link}
        </Button>
        <Button size="small" aria-label={words.people.changeName(p.name)} onClick={onChange}>
          {words.people.change}
        </Button>
        <Button
          size="small"
          aria-label={words.people.removeName(p.name)}
          onClick={() => (sure ? remove.mutate() : setSure(true))}
        >
          {sure ? words.people.removeSure : words.people.remove}
        </Button>
      </Line>
      <Failed of={[remove]} />
    </>
  );
}

// LinkOf shows a sign-in link for the camera of the phone that it is for.
function LinkOf({ ticket, onDone }: { ticket: Ticket; onDone: () => void }) {
  return (
    <Box component="section" aria-label={words.people.linkFor(ticket.person)} sx={{ pl: 2, pb: 2 }}>
      <Box sx={{ fontWeight: 600, pt: 1 }}>{words.people.linkFor(ticket.person)}</Box>
      <Note>{words.people.linkHow(clock(ticket.expires))}</Note>
      <Suspense fallback={<Note>{words.loading}</Note>}>
        <QrCode address={ticket.link} width={180} />
      </Suspense>
      <Button size="small" onClick={onDone} sx={{ mt: 1 }}>
        {words.people.linkDone}
      </Button>
    </Box>
  );
}
