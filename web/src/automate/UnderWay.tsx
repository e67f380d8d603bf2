import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import type { Hold, Run } from '../api/client';
import { useMay } from '../api/may';
import { words } from '../app/words';
import { useStates, useTell } from '../controls/queries';
import { Line } from '../house/Line';
import { Note, Panel } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { label } from '../shared/text';
import { holdLine, runLine } from './lines';
import { useEndHold, useHolds, useRuns, useSequences, useStopRun } from './queries';

// UnderWay is the runs that are not over, with what they ask, and the controls that are set for a time.
export function UnderWay() {
  const runs = useRuns();
  const holds = useHolds();
  const going = runs.data?.filter((r) => r.phase !== 'ended') ?? [];
  const held = holds.data ?? [];
  const trouble = runs.error ?? holds.error;
  return (
    <Panel title={words.automate.underWay}>
      {trouble && <Note alert>{trouble.message}</Note>}
      {runs.data && holds.data && going.length + held.length === 0 && <Note>{words.automate.nothing}</Note>}
      {going.map((r) => (
        <RunLine key={r.id} run={r} />
      ))}
      {held.map((h) => (
        <HoldLine key={h.id} hold={h} />
      ))}
    </Panel>
  );
}

function RunLine({ run }: { run: Run }) {
  const stop = useStopRun();
  const sequences = useSequences();
  const name = sequences.data?.find((s) => s.slug === run.name)?.name ?? run.name;
  const may = useMay();
  return (
    <Box sx={{ '& + &': { borderTop: '1px dotted', borderColor: 'divider' } }}>
      <Line name={name} about={[runLine(run), run.by]}>
        {may('use') && (
          <Button
            size="small"
            variant="outlined"
            aria-label={words.automate.stopName(name)}
            disabled={stop.isPending}
            onClick={() => stop.mutate(run.id)}
          >
            {words.automate.stop}
          </Button>
        )}
      </Line>
      {run.asks?.startsWith('the measurement ') && <Note>{words.automate.waitsFor(run.asks)}</Note>}
      {run.asks && !run.asks.startsWith('the ') && may('tell') && <Asked path={run.asks} />}
      <Failed of={[stop]} />
    </Box>
  );
}

// Asked is a question that a run waits for: what is it at?
function Asked({ path }: { path: string }) {
  const [device = '', control = ''] = path.split('/');
  const states = useStates(device);
  const tell = useTell(device);
  const state = states.data?.find((s) => s.control === control);
  if (!state) return null;
  return (
    <Box
      role="group"
      aria-label={words.automate.asks(path)}
      sx={{
        display: 'flex',
        flexWrap: 'wrap',
        alignItems: 'center',
        gap: 1,
        border: '1px dashed',
        borderColor: 'belief',
        p: 1.5,
        mb: 1,
      }}
    >
      <Box sx={{ flex: { xs: '1 1 100%', sm: '1 1 24ch' } }}>{words.automate.asks(path)}</Box>
      {state.may
        ?.filter((v) => !v.includes(' to ') && v !== '…')
        .map((v) => (
          <Button
            key={v}
            variant="outlined"
            disabled={tell.isPending}
            onClick={() => tell.mutate({ control, value: v })}
          >
            {label(v)}
          </Button>
        ))}
      <Failed of={[tell]} />
    </Box>
  );
}

function HoldLine({ hold }: { hold: Hold }) {
  const end = useEndHold();
  const may = useMay();
  const name = `${hold.device} ${label(hold.control).toLowerCase()}`;
  return (
    <>
      <Line name={name} about={[holdLine(hold), hold.by]}>
        {may('use') && !hold.frozen && (
          <>
            <Button
              size="small"
              variant="outlined"
              aria-label={words.automate.backName(name)}
              disabled={end.isPending}
              onClick={() => end.mutate({ id: hold.id, stay: false })}
            >
              {words.automate.back}
            </Button>
            <Button
              size="small"
              aria-label={words.automate.stayName(name)}
              disabled={end.isPending}
              onClick={() => end.mutate({ id: hold.id, stay: true })}
            >
              {words.automate.stay}
            </Button>
          </>
        )}
      </Line>
      <Failed of={[end]} />
    </>
  );
}
