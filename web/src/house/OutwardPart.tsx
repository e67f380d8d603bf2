import Button from '@mui/material/Button';
import { useMutation, useQuery } from '@tanstack/react-query';
import { client, unwrap } from '../api/client';
import { keys } from '../api/queries';
import { stale } from '../api/stale';
import { words } from '../app/words';
import { Failed } from '../shared/Failed';
import { Note, Panel } from '../shared/Panel';
import { clock } from '../shared/text';
import { Command } from './Command';
import { Line } from './Line';

// OutwardPart is what the house reaches outside by itself: requests that errands send, and calendars that they come with.
export function OutwardPart() {
  const requests = useQuery({ queryKey: keys.requests, queryFn: () => unwrap(client.GET('/api/requests')) });
  const calendars = useQuery({
    queryKey: keys.calendars,
    queryFn: () => unwrap(client.GET('/api/calendars')),
  });
  const send = useMutation({
    mutationFn: (request: string) =>
      unwrap(client.POST('/api/requests/{request}/send', { params: { path: { request } }, body: {} })),
    onSettled: () => stale(keys.requests),
  });
  const look = useMutation({
    mutationFn: (calendar: string) =>
      unwrap(client.POST('/api/calendars/{calendar}/look', { params: { path: { calendar } } })),
    onSettled: () => stale(keys.calendars),
  });
  return (
    <Panel title={words.outward.title}>
      <Failed of={[requests, calendars, send, look]} />
      {requests.data?.map((r) => (
        <Line
          key={r.name}
          name={r.name}
          about={[
            words.outward.request(r.method ?? '', r.url),
            r.last ? words.outward.sent(clock(r.last)) : words.outward.notSent,
            r.error ?? '',
          ].filter(Boolean)}
        >
          <Button
            size="small"
            variant="outlined"
            disabled={send.isPending}
            aria-label={words.outward.testOf(r.name)}
            onClick={() => send.mutate(r.name)}
          >
            {words.faces.test}
          </Button>
        </Line>
      ))}
      {calendars.data?.map((c) => (
        <Line
          key={`calendar ${c.name}`}
          name={words.outward.calendar(c.name)}
          about={[
            words.outward.from(c.host ?? ''),
            c.at ? words.outward.fetched(clock(c.at)) : words.outward.notFetched,
            c.coming[0] ? words.outward.next(c.coming[0].title, clock(c.coming[0].begins)) : '',
            c.error ?? '',
          ].filter(Boolean)}
        >
          <Button
            size="small"
            variant="outlined"
            disabled={look.isPending}
            aria-label={words.outward.testOf(c.name)}
            onClick={() => look.mutate(c.name)}
          >
            {words.faces.test}
          </Button>
        </Line>
      ))}
      {requests.data?.length === 0 && calendars.data?.length === 0 && <Note>{words.outward.none}</Note>}
      <Command title={words.outward.addRequest} text="urbo request add NAME http://HOST/PATH" />
      <Command title={words.outward.addCalendar} text="urbo calendar add NAME https://HOST/FILE.ics" />
    </Panel>
  );
}
