import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Typography from '@mui/material/Typography';
import { useState } from 'react';
import { Link } from 'react-router';
import type { Capture } from '../api/client';
import { useCaptures, useDevices } from '../api/queries';
import { words } from '../app/words';
import { NoReceiver } from '../house/NoReceiver';
import { Heading, Note, Panel } from '../shared/Panel';
import { clock, label, read } from '../shared/text';
import { Waveform } from '../shared/Waveform';

// WhichPage says whose key was pressed last, wherever in the house.
export default function WhichPage() {
  const captures = useCaptures();
  const name = useNames();
  const [last, setLast] = useState<string>(); // what was heard before this page opened
  if (captures.data && last === undefined) setLast(captures.data[0]?.id ?? '');
  const fresh = (captures.data ?? []).filter((c) => !c.echo && last !== undefined && c.id > last); // ids are in order of time
  return (
    <>
      <Box component={Link} to="/devices" sx={{ color: 'text.secondary', display: 'inline-block', py: 1 }}>
        {words.device.back}
      </Box>
      <Heading title={words.which.title} under={words.which.how} />
      <NoReceiver />
      <Box
        aria-live="assertive"
        sx={{ borderTop: 2, borderColor: 'text.primary', mt: 2, py: 3, minHeight: 260 }}
      >
        {fresh[0] ? <Answer heard={fresh[0]} /> : <Note>{words.which.waiting}</Note>}
      </Box>
      {fresh.length > 1 && ( // its lines stay where they are, and say something else
        <Panel title={words.which.before}>
          {fresh.slice(1, 9).map((c, n) => (
            <Box key={n} sx={{ display: 'flex', gap: 2, py: 0.5 }}>
              <Box component="span" sx={{ color: 'text.secondary' }}>
                {clock(c.at)}
              </Box>
              <span>
                {c.keys[0] ? `${name(c.keys[0].device)}: ${label(c.keys[0].key)}` : words.which.nobody}
              </span>
            </Box>
          ))}
        </Panel>
      )}
    </>
  );
}

// useNames finds the names of devices by their slugs.
function useNames(): (slug: string) => string {
  const devices = useDevices();
  return (slug) => devices.data?.find((d) => d.slug === slug)?.name ?? slug;
}

function Answer({ heard: c }: { heard: Capture }) {
  const name = useNames();
  const best = c.readings[0];
  const set = c.sets?.[0];
  const longest = c.trains.reduce<number[]>((a, t) => (t.train.length > a.length ? t.train : a), []);
  return (
    <>
      {c.keys.map((k) => (
        <Typography
          key={`${k.device}/${k.key}`}
          variant="h1"
          component="p"
          sx={{ fontSize: { xs: '1.9rem', md: '2.4rem' } }}
        >
          {label(k.key)}{' '}
          <Box component={Link} to={`/devices/${k.device}`} sx={{ fontWeight: 400, color: 'text.primary' }}>
            {name(k.device)}
          </Box>
        </Typography>
      ))}
      {c.keys.length > 1 && <Note alert>{words.which.both}</Note>}
      {c.keys.length === 0 && (
        <Typography variant="h1" component="p">
          {set ? words.which.set(label(set.key), set.name) : words.which.nobody}
        </Typography>
      )}
      <Box sx={{ mt: 2, maxWidth: 620 }}>
        <Waveform train={longest} />
        <Box sx={{ color: 'text.secondary' }}>{best ? read(best) : words.bench.noCode}</Box>
      </Box>
      {c.keys.length === 0 && best?.rolling && <Note>{words.which.rolling}</Note>}
      {c.keys.length === 0 && !best?.rolling && (
        <Button component={Link} to={`/bench/${c.id}`} variant="outlined" sx={{ mt: 2 }}>
          {words.which.make}
        </Button>
      )}
    </>
  );
}
