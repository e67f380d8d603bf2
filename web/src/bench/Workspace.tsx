import Box from '@mui/material/Box';
import { useMemo, useState } from 'react';
import type { CaptureDetail } from '../api/client';
import { useCapture } from './queries';
import { mono } from '../app/theme';
import { words } from '../app/words';
import { Note, Panel } from '../shared/Panel';
import { clock, fields, hertz, label } from '../shared/text';
import { Actions } from './Actions';
import { what } from './CaptureList';
import { Overlay } from './Overlay';
import { StructurePart } from './StructurePart';
import { Trace } from './Trace';
import { edges, flatten, labels, opening } from './trace';

// Workspace is one capture on the bench.
export function Workspace({ id }: { id: string }) {
  const detail = useCapture(id);
  const [over, setOver] = useState<string[]>([]);
  if (detail.error) return <Note alert>{detail.error.message}</Note>;
  if (!detail.data) return <Note>{words.loading}</Note>;
  return (
    <>
      <Signal of={detail.data} hidden={over.length > 0} />
      <Overlay first={detail.data} over={over} onOver={setOver} />
      <Actions of={detail.data} />
      <Readings of={detail.data} />
      {detail.data.structure && <StructurePart of={detail.data.structure} />}
    </>
  );
}

function Signal({ of: d, hidden }: { of: CaptureDetail; hidden: boolean }) {
  const c = d.capture;
  const drawn = useMemo(() => {
    const durations = flatten(d.capture.trains);
    const times = edges(durations);
    return {
      rows: [
        {
          times,
          colour: d.capture.echo ? ('transmitted' as const) : ('received' as const),
          labels: labels(d.structure, durations.length),
        },
      ],
      view: opening(d.structure, times),
    };
  }, [d]);
  const facts = [
    clock(c.at),
    `${c.station} ${c.port}`,
    words.bench.media[c.medium],
    c.carrier_hz && words.bench.carrier(hertz(Math.round(c.carrier_hz / 100) * 100)),
    c.strength !== undefined && words.bench.strength(c.strength),
    c.count > 1 && words.bench.times(c.count),
    c.echo && words.bench.echo,
  ].filter(Boolean);
  return (
    <Panel title={c.keys.length > 0 ? c.keys.map((k) => `${k.device} ${label(k.key)}`).join(', ') : what(c)}>
      {c.sets?.[0] && <Note>{words.which.set(label(c.sets[0].key), c.sets[0].name)}.</Note>}
      <Box sx={{ color: 'text.secondary', fontSize: 14, mb: 1 }}>{facts.join(' · ')}</Box>
      {!hidden && <Trace rows={drawn.rows} view={drawn.view} name={words.bench.drawing(what(c))} />}
    </Panel>
  );
}

function Readings({ of: d }: { of: CaptureDetail }) {
  const head = [
    words.bench.sheet,
    words.bench.fields,
    words.bench.framesHead,
    words.bench.unit,
    words.bench.stretch,
    words.bench.confidence,
  ];
  return (
    <Panel title={words.bench.readings}>
      {d.capture.readings.length === 0 ? (
        <Note>{d.capture.held ? words.bench.held(d.capture.held) : words.bench.noReading}</Note>
      ) : (
        <Box sx={{ overflowX: 'auto' }} tabIndex={0} role="region" aria-label={words.bench.readings}>
          <Box
            component="table"
            sx={{
              borderCollapse: 'collapse',
              fontSize: 14,
              minWidth: 560,
              '& td, & th': { textAlign: 'left', pr: 2, py: 0.5 },
            }}
          >
            <thead>
              <tr>
                {head.map((h) => (
                  <Box component="th" key={h} sx={{ fontWeight: 400, color: 'text.secondary' }}>
                    {h}
                  </Box>
                ))}
              </tr>
            </thead>
            <Box component="tbody" sx={{ fontFamily: mono }}>
              {d.capture.readings.map((r) => (
                <tr key={r.sheet + fields(r.fields)}>
                  <td>{r.sheet}</td>
                  <td>{fields(r.fields)}</td>
                  <td>{r.repeats > 0 ? `${r.frames} + ${r.repeats}` : r.frames}</td>
                  <td>{r.unit_us.toFixed(0)} µs</td>
                  <td>
                    {r.stretch_us > 0 ? '+' : ''}
                    {r.stretch_us.toFixed(0)} µs
                  </td>
                  <td>{r.confidence.toFixed(2)}</td>
                </tr>
              ))}
            </Box>
          </Box>
        </Box>
      )}
    </Panel>
  );
}
