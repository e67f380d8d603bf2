import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import type { StationTest as Found } from '../api/client';
import { words } from '../app/words';
import { Note, Panel } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { useChangeTransmitter, useTestStations } from './stations';

// WhoHears lets every transmitter send, and shows who heard it: a matrix, and what seems to be wrong in words.
export function WhoHears() {
  const test = useTestStations();
  return (
    <Panel
      title={words.stations.test}
      aside={
        <Button variant="outlined" disabled={test.isPending} onClick={() => test.mutate()}>
          {test.isPending ? words.stations.testing : words.stations.testIt}
        </Button>
      }
    >
      {!test.data && <Note>{words.stations.testHow}</Note>}
      <Failed of={[test]} />
      {test.data && <Matrix found={test.data} />}
      {test.data?.rows.map((r) => (
        <Box key={r.transmitter} sx={{ py: 0.75 }}>
          <Box component="span" sx={{ fontWeight: 600, color: r.fault ? 'secondary.main' : undefined }}>
            {r.transmitter}
          </Box>
          {': '}
          {r.text}
          {r.inexact && <Correct row={r} />}
        </Box>
      ))}
    </Panel>
  );
}

// Correct offers to mend a transmitter whose durations are not true.
function Correct({ row }: { row: Found['rows'][number] }) {
  const change = useChangeTransmitter(row.transmitter);
  return (
    <Box sx={{ display: 'flex', flexWrap: 'wrap', alignItems: 'center', gap: 1.5 }}>
      {row.inexact}
      {change.isSuccess && words.stations.corrected}
      {row.correction && !change.isSuccess && (
        <Button
          size="small"
          variant="outlined"
          disabled={change.isPending}
          aria-label={words.stations.correctOf(row.transmitter)}
          onClick={() => row.correction && change.mutate({ correction: row.correction })}
        >
          {words.stations.correct}
        </Button>
      )}
      <Failed of={[change]} />
    </Box>
  );
}

function Matrix({ found }: { found: Found }) {
  const cell = { py: 0.75, px: 1.5, borderBottom: '1px dotted', borderColor: 'divider', textAlign: 'left' };
  return (
    <Box sx={{ overflowX: 'auto', mb: 2 }} tabIndex={0} role="region" aria-label={words.stations.matrix}>
      <Box component="table" sx={{ borderCollapse: 'collapse' }}>
        <thead>
          <tr>
            <Box component="th" sx={{ ...cell, pl: 0 }} scope="col">
              {words.stations.sends}
            </Box>
            {found.receivers.map((r) => (
              <Box component="th" key={r} sx={{ ...cell, color: 'received' }} scope="col">
                {r}
              </Box>
            ))}
          </tr>
        </thead>
        <tbody>
          {found.rows.map((row) => (
            <tr key={row.transmitter}>
              <Box component="th" sx={{ ...cell, pl: 0, fontWeight: 600 }} scope="row">
                {row.transmitter}
              </Box>
              {row.cells.map((c, i) => (
                <Box component="td" key={found.receivers[i]} sx={cell}>
                  {c.heard ? <Heard strength={c.strength} stretch={c.stretch_us ?? 0} /> : '–'}
                </Box>
              ))}
            </tr>
          ))}
        </tbody>
      </Box>
    </Box>
  );
}

// Heard is how strong a transmitter was heard, and what was added to its marks.
function Heard({ strength, stretch }: { strength?: number | undefined; stretch: number }) {
  const percent = strength === undefined ? undefined : Math.round(100 * strength);
  return (
    <Box sx={{ display: 'flex', alignItems: 'center', gap: 1, whiteSpace: 'nowrap' }}>
      {percent !== undefined && (
        <Box sx={{ width: 48, height: 8, bgcolor: 'divider' }}>
          <Box sx={{ height: 1, width: `${percent}%`, bgcolor: 'received' }} />
        </Box>
      )}
      {percent === undefined ? words.stations.heard : `${percent} %`}
      {Math.abs(stretch) >= 1 && (
        <Box component="span" sx={{ color: 'text.secondary' }}>
          {stretch > 0 ? '+' : '−'}
          {Math.round(Math.abs(stretch))} µs
        </Box>
      )}
    </Box>
  );
}
