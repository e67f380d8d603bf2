import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import { words } from '../app/words';
import { FileButton } from '../shared/FileButton';
import { Note, Panel } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { usePack, type Conflict } from './usePack';

const conflicts: Conflict[] = ['skip', 'replace', 'copy'];

// PackPart saves devices as a file, and brings them in from one: first what would happen, then it happens.
export function PackPart() {
  const [file, setFile] = useState<File | null>(null);
  const [conflict, setConflict] = useState<Conflict>('skip');
  const pack = usePack(file, conflict);
  const plan = pack.imported ?? pack.preview;
  return (
    <Panel title={words.packs.title}>
      <Box sx={{ color: 'text.secondary', maxWidth: '62ch', mb: 1.5 }}>{words.packs.how}</Box>
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1.5, alignItems: 'end' }}>
        <Button component="a" href="/api/packs?all=true" download="urbo-pack.json" variant="outlined">
          {words.packs.save}
        </Button>
        <FileButton
          variant="outlined"
          accept=".json,application/json"
          onFiles={([f]) => {
            setFile(f ?? null);
            pack.reset();
          }}
        >
          {words.packs.open}
        </FileButton>
        {file && !pack.imported && (
          <TextField
            select
            label={words.packs.conflict}
            value={conflict}
            sx={{ width: 240 }}
            onChange={(e) => setConflict(e.target.value as Conflict)}
          >
            {conflicts.map((c) => (
              <MenuItem key={c} value={c}>
                {words.packs.conflicts[c]}
              </MenuItem>
            ))}
          </TextField>
        )}
      </Box>
      <Failed of={[pack]} />
      {plan && (
        <Box aria-live="polite" sx={{ mt: 1.5 }}>
          {plan.items.map((i) => (
            <Box
              key={`${i.what} ${i.slug}`}
              sx={{
                display: 'flex',
                flexWrap: 'wrap',
                columnGap: 2,
                borderTop: '1px dotted',
                borderColor: 'divider',
                py: 0.75,
              }}
            >
              <Box component="span" sx={{ fontWeight: 600 }}>
                {i.name}
              </Box>
              <span>
                {[words.packs.whats[i.what], i.keys > 0 && words.packs.keys(i.keys)]
                  .filter(Boolean)
                  .join(', ')}
              </span>
              <Box component="span" sx={{ color: 'text.secondary' }}>
                {i.same ? words.packs.same : words.packs.actions[i.action](i.as ?? '')}
              </Box>
            </Box>
          ))}
          {plan.done ? (
            <Note>{words.packs.done}</Note>
          ) : (
            <Button
              variant="contained"
              sx={{ mt: 1.5 }}
              disabled={pack.busy || plan.items.every((i) => i.action === 'skip')}
              onClick={pack.run}
            >
              {words.packs.import}
            </Button>
          )}
        </Box>
      )}
    </Panel>
  );
}
