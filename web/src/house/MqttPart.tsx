import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Checkbox from '@mui/material/Checkbox';
import FormControlLabel from '@mui/material/FormControlLabel';
import TextField from '@mui/material/TextField';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { client, unwrap, type Mqtt, type MqttChange } from '../api/client';
import { keys } from '../api/queries';
import { stale } from '../api/stale';
import { words } from '../app/words';
import { Failed } from '../shared/Failed';
import { Note, Panel } from '../shared/Panel';
import { clock } from '../shared/text';
import { Command } from './Command';
import { change, commands, stateOf, type Fields } from './mqtt';

// every is how often it is looked whether the broker is there, while the page is open.
const every = 5000;

// MqttPart is the MQTT face: whether it is connected and where, who asked last, and how to connect.
export function MqttPart() {
  const mqtt = useQuery({
    queryKey: keys.mqtt,
    queryFn: () => unwrap(client.GET('/api/mqtt')),
    refetchInterval: every,
  });
  const [editing, setEditing] = useState(false);
  const save = useMutation({
    mutationFn: (body: MqttChange) => unwrap(client.PATCH('/api/mqtt', { body })),
    onSuccess: () => {
      setEditing(false);
      return stale(keys.mqtt);
    },
  });
  const m = mqtt.data;
  return (
    <Panel title={words.faces.mqtt}>
      <Failed of={[mqtt, save]} />
      {m && !editing && (
        <>
          <State of={m} />
          <Box sx={{ display: 'flex', gap: 1, flexWrap: 'wrap' }}>
            {(m.on || m.at !== undefined) && (
              <Button
                variant={m.on ? 'outlined' : 'contained'}
                disabled={save.isPending}
                onClick={() => save.mutate({ on: !m.on })}
              >
                {m.on ? words.faces.off : words.faces.on}
              </Button>
            )}
            <Button variant="outlined" onClick={() => setEditing(true)}>
              {words.faces.change}
            </Button>
          </Box>
        </>
      )}
      {m && editing && (
        <Edit
          of={m}
          saving={save.isPending}
          save={(body) => save.mutate(body)}
          cancel={() => setEditing(false)}
        />
      )}
    </Panel>
  );
}

// State is what there is to say of the face as it is.
function State({ of: m }: { of: Mqtt }) {
  const facts: [string, string][] = [[words.faces.base, m.base]];
  if (m.on) facts.push([words.faces.published, String(m.topics)]);
  if (m.on) facts.push([words.faces.asked, String(m.took)]);
  if (m.last) facts.push(['', words.faces.lastAsked(m.last.what, m.last.name, clock(m.last.at))]);
  if (m.at !== undefined && m.at !== 'own') facts.push([words.faces.rights, m.rights.join(', ')]);
  return (
    <>
      <Note alert={m.error !== undefined}>{stateOf(m)}</Note>
      <Box
        component="dl"
        sx={{ display: 'grid', gridTemplateColumns: 'auto 1fr', columnGap: 4, rowGap: 1, m: 0, mb: 2 }}
      >
        {facts.map(([name, value]) => (
          <Box key={name} sx={{ display: 'contents' }}>
            <Box component="dt" sx={{ color: 'text.secondary' }}>
              {name}
            </Box>
            <Box component="dd" sx={{ m: 0, overflowWrap: 'anywhere' }}>
              {value}
            </Box>
          </Box>
        ))}
      </Box>
      {m.here && commands(m).map((c) => <Command key={c.title} {...c} />)}
    </>
  );
}

// Edit is where the broker is, and what whoever speaks there may.
function Edit({
  of: m,
  saving,
  save,
  cancel,
}: {
  of: Mqtt;
  saving: boolean;
  save: (body: MqttChange) => void;
  cancel: () => void;
}) {
  const [fields, setFields] = useState<Fields>({
    broker: m.broker ?? '',
    user: m.user ?? '',
    password: '',
    ca: m.ca ?? '',
    base: m.base,
    use: m.rights.includes('use'),
  });
  const test = useMutation({
    mutationFn: (body: MqttChange) => unwrap(client.POST('/api/mqtt/test', { body })),
  });
  const set = (part: Partial<Fields>) => {
    test.reset();
    setFields({ ...fields, ...part });
  };
  const text = (name: keyof Omit<Fields, 'use'>, label: string, help?: string, multiline = false) => (
    <TextField
      label={label}
      helperText={help}
      value={fields[name]}
      multiline={multiline}
      maxRows={6}
      type={name === 'password' ? 'password' : 'text'}
      onChange={(e) => set({ [name]: e.target.value })}
      slotProps={{
        htmlInput: { autoComplete: name === 'password' ? 'new-password' : 'off', spellCheck: false },
      }}
    />
  );
  const submit = (e: FormEvent) => {
    e.preventDefault();
    save(change(m, fields));
  };
  return (
    <Box component="form" onSubmit={submit} sx={{ display: 'grid', gap: 2, maxWidth: 560 }}>
      {text('broker', words.faces.broker, words.faces.brokerHow)}
      {fields.broker !== '' && text('user', words.faces.user)}
      {fields.broker !== '' &&
        text('password', words.faces.password, m.has_password ? words.faces.passwordKept : undefined)}
      {fields.broker.startsWith('mqtts:') && text('ca', words.faces.ca, words.faces.caHow, true)}
      {text('base', words.faces.base, words.faces.baseHow)}
      {(fields.broker !== '' || (m.at !== undefined && m.at !== 'own')) && (
        <FormControlLabel
          control={<Checkbox checked={fields.use} onChange={(e) => set({ use: e.target.checked })} />}
          label={words.faces.mayUse}
        />
      )}
      <Failed of={[test]} />
      {test.data && (
        <Note>
          {words.faces.reached(test.data.version === 3 ? 'MQTT 3.1.1' : 'MQTT 5', test.data.took_ms)}
        </Note>
      )}
      <Box sx={{ display: 'flex', gap: 1, flexWrap: 'wrap' }}>
        <Button type="submit" variant="contained" disabled={saving}>
          {words.faces.save}
        </Button>
        <Button variant="outlined" disabled={test.isPending} onClick={() => test.mutate(change(m, fields))}>
          {words.faces.test}
        </Button>
        <Button onClick={cancel}>{words.faces.cancel}</Button>
      </Box>
    </Box>
  );
}
