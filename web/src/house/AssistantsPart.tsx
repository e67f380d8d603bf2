import Button from '@mui/material/Button';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { client, unwrap, type Assistant } from '../api/client';
import { stale } from '../api/stale';
import { keys } from '../api/queries';
import { words } from '../app/words';
import { Failed } from '../shared/Failed';
import { Note, Panel } from '../shared/Panel';
import { clock } from '../shared/text';
import { Command } from './Command';
import { Line } from './Line';

// AssistantsPart is the assistants from outside: which are linked, since when, and what they may.
export function AssistantsPart() {
  const all = useQuery({ queryKey: keys.assistants, queryFn: () => unwrap(client.GET('/api/assistants')) });
  const [sure, setSure] = useState(''); // id of the link that is to end: it is asked once
  const end = useMutation({
    mutationFn: (link: string) => unwrap(client.DELETE('/api/links/{link}', { params: { path: { link } } })),
    onSuccess: () => stale(keys.assistants),
  });
  return (
    <Panel title={words.assistants.title}>
      <Failed of={[all, end]} />
      <Note>{words.assistants.what}</Note>
      {all.data
        ?.flatMap((a) => rows(a))
        .map((r) => (
          <Line key={r.key} name={r.name} about={r.about}>
            {r.link && (
              <Button
                size="small"
                variant="outlined"
                aria-label={words.assistants.endOf(r.name)}
                onClick={() => (sure === r.link ? end.mutate(r.link) : setSure(r.link ?? ''))}
              >
                {sure === r.link ? words.assistants.sure : words.assistants.end}
              </Button>
            )}
          </Line>
        ))}
      <Command
        title={words.assistants.register}
        text="urbo assistant add NAME --redirect https://HOST/PATH"
      />
    </Panel>
  );
}

type Row = { key: string; name: string; about: string[]; link?: string };

const rows = (a: Assistant): Row[] =>
  a.links.length === 0
    ? [{ key: a.id ?? a.name, name: a.name, about: [words.assistants.notLinked] }]
    : a.links.map((l) => ({
        key: l.id,
        link: l.id,
        name: a.name,
        about: [
          words.assistants.may(
            l.rights.includes('use'),
            l.where.house ? '' : (l.where.rooms ?? []).join(', '),
          ),
          words.assistants.since(l.by, clock(l.made)),
          l.used ? words.house.used(clock(l.used), l.from ?? '') : words.house.neverUsed,
        ],
      }));
