import Autocomplete from '@mui/material/Autocomplete';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import type { CaptureDetail } from '../api/client';
import { useDevice, useDevices } from '../api/queries';
import { useKeep, useSendCapture } from './queries';
import { words } from '../app/words';
import { Note, Panel } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { sends } from '../shared/text';

const formats = ['vcd', 'csv', 'wav', 'text', 'c'] as const;

// Actions is what can be done with a capture: send it, make it a key, save it.
export function Actions({ of: d }: { of: CaptureDetail }) {
  const send = useSendCapture();
  const id = d.capture.id;
  return (
    <Panel title={words.bench.use}>
      {d.code ? <Note>{words.bench.wouldSend(sends(d.code))}</Note> : <Note alert>{d.trouble}</Note>}
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1.5, alignItems: 'center' }}>
        <Button
          variant="contained"
          color={send.isPending ? 'secondary' : 'primary'}
          disabled={!d.code || send.isPending}
          onClick={() => send.mutate(id)}
        >
          {send.isPending ? words.bench.sending : words.bench.send}
        </Button>
        <Box component="span" sx={{ color: 'text.secondary', ml: { sm: 2 } }}>
          {words.bench.save}
        </Box>
        {formats.map((f) => (
          <Button
            key={f}
            component="a"
            href={`/api/captures/${id}/file?as=${f}`}
            download
            size="small"
            sx={{ minWidth: 44 }}
          >
            {words.bench.formats[f]}
          </Button>
        ))}
      </Box>
      <Box aria-live="polite">
        {send.data && (
          <Note alert={send.data.outcome !== 'sent'}>
            {send.data.outcome === 'sent'
              ? words.bench.sent(`${send.data.station}/${send.data.port}`, send.data.took_ms)
              : send.data.reason}
          </Note>
        )}
        <Failed of={[send]} />
      </Box>
      {d.code && <KeepForm id={id} />}
    </Panel>
  );
}

// KeepForm makes a capture what a key sends.
function KeepForm({ id }: { id: string }) {
  const devices = useDevices();
  const keep = useKeep(id);
  const [device, setDevice] = useState('');
  const suggested = useSearchParams()[0].get('key') ?? ''; // it stood before the signal in a text
  const [key, setKey] = useState(suggested);
  const chosen = useDevice(device).data;
  return (
    <Box
      component="form"
      sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'end', mt: 1.5 }}
      onSubmit={(e) => {
        e.preventDefault();
        keep.mutate({ device, key });
      }}
    >
      <TextField
        select
        label={words.bench.keyOf}
        value={device}
        sx={{ flex: '1 1 180px', maxWidth: 260 }}
        onChange={(e) => setDevice(e.target.value)}
      >
        {(devices.data ?? []).map((d) => (
          <MenuItem key={d.slug} value={d.slug}>
            {d.name}
          </MenuItem>
        ))}
      </TextField>
      <Autocomplete
        freeSolo
        defaultValue={suggested}
        options={chosen?.keys.map((k) => k.name) ?? []}
        inputValue={key}
        onInputChange={(_, v) => setKey(v)}
        sx={{ flex: '1 1 140px', maxWidth: 220 }}
        renderInput={(params) => <TextField {...params} label={words.bench.keyName} />}
      />
      <Button type="submit" variant="outlined" disabled={!device || !key || keep.isPending}>
        {words.bench.keep}
      </Button>
      <Box aria-live="polite" sx={{ flexBasis: '100%' }}>
        {keep.isSuccess && <Note>{words.bench.kept(keep.data.name, keep.variables.key)}</Note>}
        <Failed of={[keep]} />
      </Box>
    </Box>
  );
}
