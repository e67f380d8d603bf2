import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useMutation, useQuery } from '@tanstack/react-query';
import { lazy, Suspense, useState } from 'react';
import { client, unwrap, type Hook, type NewHook } from '../api/client';
import { keys } from '../api/queries';
import { stale } from '../api/stale';
import { words } from '../app/words';
import { useSequences } from '../automate/queries';
import { useErrands } from '../errand/queries';
import { Failed } from '../shared/Failed';
import { Note, Panel } from '../shared/Panel';
import { clock } from '../shared/text';
import { Command } from './Command';
import { Line } from './Line';

const QrPart = lazy(() => import('../devices/QrPart'));

const kinds = ['cue', 'sequence', 'errand', 'calendar'] as const;

// HooksPart is the secret addresses: what each lets happen, when it was used, and the one that was just made.
export function HooksPart() {
  const hooks = useQuery({ queryKey: keys.hooks, queryFn: () => unwrap(client.GET('/api/hooks')) });
  const [made, setMade] = useState<Hook>();
  const [sure, setSure] = useState(''); // name of the hook that is to go: it is asked once
  const add = useMutation({
    mutationFn: (body: NewHook) => unwrap(client.POST('/api/hooks', { body })),
    onSuccess: (h) => {
      setMade(h);
      stale(keys.hooks);
    },
  });
  const remove = useMutation({
    mutationFn: (hook: string) => unwrap(client.DELETE('/api/hooks/{hook}', { params: { path: { hook } } })),
    onSuccess: () => stale(keys.hooks),
  });
  return (
    <Panel title={words.hooks.title}>
      <Failed of={[hooks, add, remove]} />
      <Note>{words.hooks.what}</Note>
      {made?.address && <Made of={made} done={() => setMade(undefined)} />}
      {hooks.data?.map((h) => (
        <Line
          key={h.name}
          name={h.name}
          about={[words.hooks.does(h.kind, h.gone ? '' : (h.of ?? '')), used(h)]}
        >
          <Button
            size="small"
            variant="outlined"
            aria-label={words.hooks.removeName(h.name)}
            onClick={() => (sure === h.name ? remove.mutate(h.name) : setSure(h.name))}
          >
            {sure === h.name ? words.hooks.removeSure : words.hooks.remove}
          </Button>
        </Line>
      ))}
      <AddHook pending={add.isPending} add={(h) => add.mutate(h)} />
    </Panel>
  );
}

const used = (h: Hook): string =>
  h.used ? words.house.used(clock(h.used), h.from ?? '') : words.house.neverUsed;

// Made is a hook's address, which is shown once.
function Made({ of: h, done }: { of: Hook; done: () => void }) {
  const address = h.address ?? '';
  return (
    <Box role="status" sx={{ borderLeft: 3, borderColor: 'text.primary', pl: 1.5, my: 2 }}>
      <strong>{words.hooks.once}</strong>
      {h.kind === 'calendar' ? (
        <>
          <Command title={words.hooks.calendarAt} text={address} />
          <Suspense fallback={<Note>{words.loading}</Note>}>
            <QrPart address={address} />
          </Suspense>
        </>
      ) : (
        <Command title={words.hooks.callIt} text={`curl -X POST ${address}`} />
      )}
      <Button size="small" onClick={done}>
        {words.hooks.kept}
      </Button>
    </Box>
  );
}

function AddHook({ pending, add }: { pending: boolean; add: (h: NewHook) => void }) {
  const [name, setName] = useState('');
  const [kind, setKind] = useState<(typeof kinds)[number]>('cue');
  const [of, setOf] = useState('');
  const sequences = useSequences();
  const errands = useErrands();
  const choices =
    kind === 'sequence'
      ? sequences.data?.map((s) => s.slug)
      : kind === 'errand'
        ? errands.data?.map((e) => e.name)
        : undefined;
  return (
    <Box
      component="form"
      sx={{ display: 'flex', gap: 2, mt: 2, alignItems: 'flex-end', flexWrap: 'wrap' }}
      onSubmit={(e) => {
        e.preventDefault();
        add(choices ? { name: name.trim(), kind, of } : { name: name.trim(), kind });
        setName('');
      }}
    >
      <TextField
        label={words.hooks.name}
        value={name}
        sx={{ width: 180 }}
        slotProps={{ htmlInput: { maxLength: 40, autoComplete: 'off' } }}
        onChange={(e) => setName(e.target.value)}
      />
      <TextField
        select
        label={words.hooks.kind}
        value={kind}
        sx={{ width: 220 }}
        onChange={(e) => {
          setKind(e.target.value as (typeof kinds)[number]);
          setOf('');
        }}
      >
        {kinds.map((k) => (
          <MenuItem key={k} value={k}>
            {words.hooks.kinds[k]}
          </MenuItem>
        ))}
      </TextField>
      {choices && (
        <TextField
          select
          label={words.hooks.of}
          value={of}
          sx={{ width: 200 }}
          onChange={(e) => setOf(e.target.value)}
        >
          {choices.map((c) => (
            <MenuItem key={c} value={c}>
              {c}
            </MenuItem>
          ))}
        </TextField>
      )}
      <Button type="submit" variant="outlined" disabled={!name.trim() || (choices && !of) || pending}>
        {words.hooks.make}
      </Button>
    </Box>
  );
}
