import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Checkbox from '@mui/material/Checkbox';
import FormControlLabel from '@mui/material/FormControlLabel';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import { client, unwrap, type LinkAsked } from '../api/client';
import { useRooms } from '../api/queries';
import { words } from '../app/words';
import { Failed } from '../shared/Failed';
import { Heading, Note } from '../shared/Panel';

// LinkPage says what an assistant asks for, and lets an owner say yes or no.
export default function LinkPage() {
  const [query] = useSearchParams();
  const link = query.get('request') ?? '';
  const asked = useQuery({
    queryKey: ['link', link],
    queryFn: () => unwrap(client.GET('/api/links/asked/{link}', { params: { path: { link } } })),
    enabled: link !== '',
    retry: false,
  });
  return (
    <Box component="main" sx={{ maxWidth: 560 }}>
      <Heading title={words.link.title} />
      {link === '' && <Note alert>{words.link.nothing}</Note>}
      {asked.isPending && link !== '' && <Note>{words.loading}</Note>}
      {asked.error && <Note alert>{asked.error.message}</Note>}
      {asked.data && <Answer link={link} asked={asked.data} />}
    </Box>
  );
}

function Answer({ link, asked }: { link: string; asked: LinkAsked }) {
  const rooms = useRooms();
  const offered = asked.rooms.length > 0 ? asked.rooms : (rooms.data ?? []).map((r) => r.name);
  const [use, setUse] = useState(asked.rights.includes('use'));
  const [some, setSome] = useState(asked.rooms.length > 0);
  const [left, setLeft] = useState<string[]>([]); // rooms that are left out
  const chosen = offered.filter((r) => !left.includes(r));
  const answer = useMutation({
    mutationFn: (yes: boolean) =>
      unwrap(
        client.POST('/api/links/asked/{link}', {
          params: { path: { link } },
          body: yes
            ? {
                yes,
                rights: use ? ['see', 'use'] : ['see'],
                where: some ? { rooms: chosen } : { house: true },
              }
            : { yes },
        }),
      ),
    onSuccess: ({ to }) => window.location.assign(to),
  });
  const busy = answer.isPending || answer.isSuccess;
  return (
    <>
      <Box sx={{ fontSize: 18, py: 2 }}>
        {words.link.asks(asked.assistant)}{' '}
        <Box sx={{ color: 'text.secondary' }}>{words.link.goesTo(asked.host)}</Box>
      </Box>
      <Box component="fieldset" sx={{ border: 0, p: 0, m: 0 }}>
        <Box component="legend" sx={{ fontWeight: 600, p: 0 }}>
          {words.link.may}
        </Box>
        <FormControlLabel control={<Checkbox checked disabled />} label={words.link.see} />
        {asked.rights.includes('use') && (
          <Box>
            <FormControlLabel
              control={<Checkbox checked={use} onChange={(e) => setUse(e.target.checked)} />}
              label={words.link.use}
            />
          </Box>
        )}
      </Box>
      <Box component="fieldset" sx={{ border: 0, p: 0, m: 0, mt: 2 }}>
        <Box component="legend" sx={{ fontWeight: 600, p: 0 }}>
          {words.link.where}
        </Box>
        {asked.rooms.length === 0 && (
          <FormControlLabel
            control={<Checkbox checked={!some} onChange={(e) => setSome(!e.target.checked)} />}
            label={words.link.everywhere}
          />
        )}
        {some && (
          <Box sx={{ pl: asked.rooms.length === 0 ? 3 : 0 }}>
            {offered.map((r) => (
              <Box key={r}>
                <FormControlLabel
                  control={
                    <Checkbox
                      checked={!left.includes(r)}
                      onChange={(e) => setLeft(e.target.checked ? left.filter((o) => o !== r) : [...left, r])}
                    />
                  }
                  label={r}
                />
              </Box>
            ))}
          </Box>
        )}
      </Box>
      <Note>{asked.stays ? words.link.stays : words.link.hour}</Note>
      <Failed of={[answer]} />
      <Box sx={{ display: 'flex', gap: 1, mt: 1 }}>
        <Button
          variant="contained"
          disabled={busy || (some && chosen.length === 0)}
          onClick={() => answer.mutate(true)}
        >
          {words.link.yes}
        </Button>
        <Button variant="outlined" disabled={busy} onClick={() => answer.mutate(false)}>
          {words.link.no}
        </Button>
      </Box>
    </>
  );
}
