import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { client, unwrap, type House, type HouseChange } from '../api/client';
import { keys } from '../api/queries';
import { stale } from '../api/stale';
import { words } from '../app/words';
import { Panel } from '../shared/Panel';
import { Failed } from '../shared/Failed';

// HouseFacts is what the house says of itself: its name, place, zone and units.
export function HouseFacts({ change }: { change: boolean }) {
  const house = useQuery({ queryKey: keys.house, queryFn: () => unwrap(client.GET('/api/house')) });
  const [editing, setEditing] = useState(false);
  const h = house.data;
  if (!h) return null;
  const place =
    h.latitude !== undefined && h.longitude !== undefined
      ? `${h.latitude}, ${h.longitude}`
      : words.facts.none;
  const facts = [
    [words.facts.name, h.name || words.facts.none],
    [words.facts.place, place],
    [words.facts.zone, h.zone || words.facts.machine],
    [
      words.facts.units,
      `${h.fahrenheit ? '°F' : '°C'}, ${h.twelve_hours ? words.facts.h12 : words.facts.h24}`,
    ],
  ];
  return (
    <Panel
      title={words.facts.title}
      aside={
        change &&
        !editing && (
          <Button size="small" onClick={() => setEditing(true)}>
            {words.people.change}
          </Button>
        )
      }
    >
      {editing ? (
        <Form house={h} onDone={() => setEditing(false)} />
      ) : (
        <Box
          component="dl"
          sx={{ display: 'grid', gridTemplateColumns: 'auto 1fr', columnGap: 4, rowGap: 1, m: 0 }}
        >
          {facts.map(([name, value]) => (
            <Box key={name} sx={{ display: 'contents' }}>
              <Box component="dt" sx={{ color: 'text.secondary' }}>
                {name}
              </Box>
              <Box component="dd" sx={{ m: 0 }}>
                {value}
              </Box>
            </Box>
          ))}
        </Box>
      )}
    </Panel>
  );
}

// Form changes it. Only what was changed is sent.
function Form({ house, onDone }: { house: House; onDone: () => void }) {
  const before = {
    name: house.name,
    place:
      house.latitude !== undefined && house.longitude !== undefined
        ? `${house.latitude}, ${house.longitude}`
        : '',
    zone: house.zone,
    fahrenheit: house.fahrenheit ? 'F' : 'C',
    hours: house.twelve_hours ? '12' : '24',
  };
  const [form, setForm] = useState(before);
  const parts = form.place.split(',').map((t) => Number(t.trim()));
  const placed = parts.length === 2 && parts.every(Number.isFinite);
  const change = useMutation({
    mutationFn: () => {
      const body: HouseChange = {};
      if (form.name !== before.name) body.name = form.name;
      if (form.zone !== before.zone) body.zone = form.zone;
      if (form.fahrenheit !== before.fahrenheit) body.fahrenheit = form.fahrenheit === 'F';
      if (form.hours !== before.hours) body.twelve_hours = form.hours === '12';
      if (form.place !== before.place) {
        if (form.place.trim() === '') body.no_place = true;
        else [body.latitude, body.longitude] = parts as [number, number];
      }
      return unwrap(client.PATCH('/api/house', { body }));
    },
    onSuccess: () => {
      stale(keys.house);
      onDone();
    },
  });
  const set = (name: keyof typeof form) => (e: { target: { value: string } }) =>
    setForm({ ...form, [name]: e.target.value });
  const wrong = form.place.trim() !== '' && !placed;
  return (
    <Box
      component="form"
      sx={{ display: 'grid', gap: 2, maxWidth: 420 }}
      onSubmit={(e) => {
        e.preventDefault();
        change.mutate();
      }}
    >
      <TextField label={words.facts.name} value={form.name} onChange={set('name')} />
      <TextField
        label={words.facts.place}
        value={form.place}
        error={wrong}
        helperText={words.facts.placeHow}
        onChange={set('place')}
      />
      <TextField
        label={words.facts.zone}
        value={form.zone}
        helperText={words.facts.zoneHow}
        onChange={set('zone')}
      />
      <TextField select label={words.facts.temperature} value={form.fahrenheit} onChange={set('fahrenheit')}>
        <MenuItem value="C">°C</MenuItem>
        <MenuItem value="F">°F</MenuItem>
      </TextField>
      <TextField select label={words.facts.hours} value={form.hours} onChange={set('hours')}>
        <MenuItem value="24">{words.facts.h24}</MenuItem>
        <MenuItem value="12">{words.facts.h12}</MenuItem>
      </TextField>
      <Failed of={[change]} />
      <Box sx={{ display: 'flex', gap: 1 }}>
        <Button type="submit" variant="contained" disabled={change.isPending || wrong}>
          {words.people.save}
        </Button>
        <Button onClick={onDone}>{words.devices.cancel}</Button>
      </Box>
    </Box>
  );
}
