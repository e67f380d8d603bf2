import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import type { Station } from '../api/client';
import { words } from '../app/words';
import { Note } from '../shared/Panel';

type File = NonNullable<Station['files']>[number];

// BoardFiles offers the files of a Wi-Fi board, and says what to do with them.
export function BoardFiles({ files, pins }: { files: File[]; pins: string }) {
  const [first, ...rest] = words.stations.boardSteps;
  return (
    <>
      <Note>{words.stations.filesOnce}</Note>
      <Box component="ol" sx={{ m: 0, pl: 3, maxWidth: '70ch', '& li': { py: 0.5 } }}>
        <li>
          {first}
          <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1, py: 1 }}>
            <Button variant="contained" onClick={() => files.forEach(save)}>
              {words.stations.saveAll}
            </Button>
            {files.map((f) => (
              <Button
                key={f.name}
                variant="outlined"
                aria-label={words.stations.save(f.name)}
                onClick={() => save(f)}
              >
                {f.name}
              </Button>
            ))}
          </Box>
        </li>
        {rest.map((step, i) => (
          <li key={step}>
            {step} {i === 0 && pins}
          </li>
        ))}
      </Box>
    </>
  );
}

// save lets the browser keep a file.
function save({ name, text }: File) {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(new Blob([text], { type: 'text/x-python' }));
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}
