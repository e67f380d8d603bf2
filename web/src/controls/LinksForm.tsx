import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import type { Control, Device, LinkRequest } from '../api/client';
import { words } from '../app/words';
import { useDevice, useDevices } from '../api/queries';
import { Failed } from '../shared/Failed';
import { label } from '../shared/text';
import { usePutFeed, usePutLink, useRemoveLink } from './queries';
import { valuesOf } from './state';

// LinksForm says what other devices do to a device: what they set over their cable, and which one feeds it.
export function LinksForm({ device, onDone }: { device: Device; onDone: () => void }) {
  const remove = useRemoveLink(device.slug);
  const feed = usePutFeed(device.slug);
  const devices = useDevices();
  const others = (devices.data ?? []).filter((d) => d.slug !== device.slug);
  return (
    <Box sx={{ display: 'grid', gap: 2, py: 1.5 }}>
      <Box sx={{ color: 'text.secondary', maxWidth: '60ch' }}>{words.controls.othersHow}</Box>
      {(device.links ?? []).map((l) => {
        const of = l.device ?? '';
        const text = words.controls.link(l.sets, l.to, of || words.controls.removed, l.control, l.value);
        return (
          <Box key={text} sx={{ display: 'flex', alignItems: 'center', gap: 1 }}>
            <Box sx={{ flex: '1 1 20ch' }}>{text}</Box>
            {of && (
              <Button
                size="small"
                aria-label={words.controls.removeOf(text)}
                onClick={() => remove.mutate({ ...l, device: of })}
              >
                {words.controls.remove}
              </Button>
            )}
          </Box>
        );
      })}
      <AddLink device={device} others={others.map((d) => d.slug)} />
      <TextField
        select
        label={words.controls.fedBy}
        value={device.fed?.device ?? ''}
        disabled={feed.isPending}
        sx={{ maxWidth: 320 }}
        slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
        onChange={(e) => feed.mutate({ device: e.target.value })}
      >
        <MenuItem value="">{words.controls.fedNone}</MenuItem>
        {others.map((d) => (
          <MenuItem key={d.slug} value={d.slug}>
            {d.name}
          </MenuItem>
        ))}
      </TextField>
      <Failed of={[remove, feed]} />
      <Button sx={{ justifySelf: 'start' }} onClick={onDone}>
        {words.controls.done}
      </Button>
    </Box>
  );
}

const followable = (c: Control) => c.kind === 'power' || c.kind === 'selector';

// AddLink adds what a control of another device sets here.
function AddLink({ device, others }: { device: Device; others: string[] }) {
  const put = usePutLink(device.slug);
  const empty: LinkRequest = { device: '', control: '', value: '', sets: '', to: '' };
  const [link, setLink] = useState(empty);
  const other = useDevice(link.device);
  const theirs = ((other.data?.controls ?? []) as Control[]).filter(followable);
  const ours = ((device.controls ?? []) as Control[]).filter((c) => c.kind !== 'travel');
  const at = (all: Control[], name: string) => all.find((c) => c.name === name);
  const choose = (member: keyof LinkRequest, text: string, values: string[]) => (
    <TextField
      select
      label={text}
      value={link[member]}
      disabled={values.length === 0}
      sx={{ minWidth: 120, flex: '1 1 120px' }}
      slotProps={{ inputLabel: { shrink: true } }}
      onChange={(e) => setLink({ ...link, [member]: e.target.value })}
    >
      {values.map((v) => (
        <MenuItem key={v} value={v}>
          {label(v)}
        </MenuItem>
      ))}
    </TextField>
  );
  const to = at(ours, link.sets);
  const listed = to ? valuesOf(to) : [];
  return (
    <Box
      component="form"
      sx={{ display: 'flex', flexWrap: 'wrap', gap: 1, alignItems: 'center' }}
      onSubmit={(e) => {
        e.preventDefault();
        put.mutate(link, { onSuccess: () => setLink(empty) });
      }}
    >
      {choose('device', words.controls.other, others)}
      {choose(
        'control',
        words.controls.otherControl,
        theirs.map((c) => c.name),
      )}
      {choose('value', words.controls.otherValue, valuesOf(at(theirs, link.control) ?? ({} as Control)))}
      {choose(
        'sets',
        words.controls.sets,
        ours.map((c) => c.name),
      )}
      {listed.length > 0 || !to ? (
        choose('to', words.controls.setsTo, listed)
      ) : (
        <TextField
          label={words.controls.setsTo}
          value={link.to}
          sx={{ minWidth: 90, flex: '1 1 90px' }}
          slotProps={{ inputLabel: { shrink: true }, htmlInput: { maxLength: 40 } }}
          onChange={(e) => setLink({ ...link, to: e.target.value })}
        />
      )}
      <Button
        type="submit"
        variant="outlined"
        disabled={put.isPending || Object.values(link).some((v) => !v)}
      >
        {words.controls.addLink}
      </Button>
      <Failed of={[put]} />
    </Box>
  );
}
