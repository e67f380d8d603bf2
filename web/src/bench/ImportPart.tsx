import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import LinearProgress from '@mui/material/LinearProgress';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import { Link } from 'react-router';
import type { Recording } from '../api/client';
import { words } from '../app/words';
import { mono } from '../app/theme';
import { FileButton } from '../shared/FileButton';
import { Note, Panel } from '../shared/Panel';
import { label, read } from '../shared/text';
import { SamplesForm } from './SamplesForm';
import { useImport } from './useImport';

// ImportPart takes recordings: dropped, chosen, or pasted as numbers.
export function ImportPart({ children }: { children?: React.ReactNode }) {
  const run = useImport();
  const [over, setOver] = useState(false);
  const [text, setText] = useState('');
  const take = (files: File[]) => {
    if (files.length > 0) void run.files(files);
  };
  return (
    <Panel title={words.bench.importTitle} aside={children}>
      <Box
        data-drop
        onDragOver={(e) => {
          e.preventDefault();
          setOver(true);
        }}
        onDragLeave={() => setOver(false)}
        onDrop={(e) => {
          e.preventDefault();
          setOver(false);
          take([...e.dataTransfer.files]);
        }}
        sx={{
          border: '2px dashed',
          borderColor: over ? 'received' : 'divider',
          p: 2,
          display: 'grid',
          gap: 1.5,
        }}
      >
        <Box sx={{ color: 'text.secondary', maxWidth: '62ch' }}>{words.bench.importHow}</Box>
        <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'end' }}>
          <FileButton variant="outlined" multiple onFiles={take}>
            {words.bench.choose}
          </FileButton>
          <Box
            component="form"
            sx={{ display: 'flex', flex: '1 1 260px', gap: 1, alignItems: 'end' }}
            onSubmit={(e) => {
              e.preventDefault();
              void run.text(text).then((ok) => ok && setText(''));
            }}
          >
            <TextField
              label={words.bench.paste}
              value={text}
              multiline
              maxRows={6}
              placeholder="9024 -4512 564 -564 …"
              onChange={(e) => setText(e.target.value)}
              slotProps={{ htmlInput: { style: { fontFamily: mono, fontSize: 14 } } }}
            />
            <Button type="submit" variant="outlined" disabled={!text.trim()}>
              {words.bench.read}
            </Button>
          </Box>
        </Box>
      </Box>
      {run.asking && <SamplesForm file={run.asking} onGiven={run.give} onCancel={run.cancel} />}
      {run.share !== null && (
        <Box role="status" sx={{ display: 'flex', gap: 2, alignItems: 'center', mt: 1 }}>
          <LinearProgress
            variant={run.share < 1 ? 'determinate' : 'indeterminate'}
            value={100 * run.share}
            sx={{ flex: 1 }}
            aria-label={words.bench.reading}
          />
          <Button onClick={run.cancel}>{words.bench.stop}</Button>
        </Box>
      )}
      {run.error && <Note alert>{run.error}</Note>}
      {run.result && <Found of={run.result} />}
    </Panel>
  );
}

// Found lists the signals of a recording.
function Found({ of: r }: { of: Recording }) {
  const facts = [
    r.format,
    r.channel && words.bench.channel(r.channel),
    r.rate_hz && words.bench.rate(r.rate_hz),
    r.inverted && words.bench.inverted,
    r.understood,
    words.bench.presses(r.presses, r.findings.length),
    r.strays > 0 && words.bench.strays(r.strays),
    r.left_out > 0 && words.bench.leftOut(r.left_out),
  ].filter(Boolean);
  return (
    <Box aria-live="polite" sx={{ mt: 1.5 }}>
      <Box sx={{ color: 'text.secondary', fontSize: 14 }}>{facts.join(' · ')}</Box>
      {r.trouble && <Note alert>{r.trouble}</Note>}
      {r.notes?.map((note) => (
        <Note key={note}>{note}</Note>
      ))}
      {r.findings.length === 0 && <Note>{words.bench.nothingFound}</Note>}
      {r.findings.map((f) => (
        <Box
          key={f.capture_id}
          component={Link}
          to={`/bench/${f.capture_id}${f.name ? `?key=${f.name}` : ''}`}
          sx={{
            display: 'grid',
            gridTemplateColumns: { xs: '1fr auto', sm: '100px 60px 1fr' },
            columnGap: 2,
            py: 1,
            minHeight: 44,
            borderTop: '1px dotted',
            borderColor: 'divider',
            color: 'inherit',
            alignItems: 'baseline',
          }}
        >
          <Box component="span" sx={{ fontFamily: mono, fontSize: 14 }}>
            {f.line ? words.bench.line(f.line) : `${(f.at_us / 1e6).toFixed(3)} s`}
          </Box>
          <span>{f.count} ×</span>
          <Box component="span" sx={{ gridColumn: { xs: '1 / -1', sm: 'auto' }, overflowWrap: 'anywhere' }}>
            {f.name && <b>{label(f.name)}: </b>}
            {f.readings[0] ? read(f.readings[0]) : (f.structure?.words ?? words.bench.noCode)}
            {f.keys && f.keys.length > 0 && ` (${f.keys.map((k) => `${k.device} ${k.key}`).join(', ')})`}
          </Box>
        </Box>
      ))}
    </Box>
  );
}
