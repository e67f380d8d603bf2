import Box from '@mui/material/Box';
import type { Structure } from '../api/client';
import { mono } from '../app/theme';
import { words } from '../app/words';
import { Panel } from '../shared/Panel';

// StructurePart is what was found out about a signal: its bits, and the kinds of durations they are made of.
export function StructurePart({ of: s }: { of: Structure }) {
  const facts: [string, string][] = [
    ...s.bits.map((b, i): [string, string] => [
      s.bits.length > 1 ? words.bench.block(i + 1) : words.bench.bits,
      b.replace(/(.{4})(?=.)/g, '$1 '),
    ]),
    ...(s.unit_us > 0
      ? ([
          [words.bench.unit, `${s.unit_us.toFixed(1)} µs`],
          [words.bench.stretch, `${s.stretch_us > 0 ? '+' : ''}${s.stretch_us.toFixed(0)} µs`],
        ] as [string, string][])
      : []),
    [words.bench.framesHead, String(s.frames)],
    ...(s.gap_us > 0
      ? ([[words.bench.gap, `${(s.gap_us / 1000).toFixed(1)} ms`]] as [string, string][])
      : []),
    ...s.others.map((b): [string, string] => [words.bench.other, b.replace(/(.{4})(?=.)/g, '$1 ')]),
    ...(s.bits.length > 0
      ? ([[words.bench.sure, `${Math.round(100 * s.sure)} %`]] as [string, string][])
      : []),
    [words.bench.fingerprint, s.fingerprint],
  ];
  const groups = [
    ...s.marks.map((c) => ({ ...c, kind: words.bench.mark })),
    ...s.spaces.map((c) => ({ ...c, kind: words.bench.space })),
  ];
  return (
    <Panel title={words.bench.structure}>
      <Box sx={{ maxWidth: '65ch', mb: 1.5 }}>{s.words}</Box>
      <Box
        component="dl"
        sx={{
          display: 'grid',
          gridTemplateColumns: 'max-content minmax(0, 1fr)',
          columnGap: 2,
          rowGap: 0.5,
          m: 0,
        }}
      >
        {facts.map(([name, value]) => (
          <Box key={name + value} sx={{ display: 'contents' }}>
            <Box component="dt" sx={{ color: 'text.secondary' }}>
              {name}
            </Box>
            <Box component="dd" sx={{ m: 0, fontFamily: mono, fontSize: 14, overflowWrap: 'anywhere' }}>
              {value}
            </Box>
          </Box>
        ))}
      </Box>
      {s.doubts.map((doubt) => (
        <Box key={doubt} sx={{ maxWidth: '65ch', mt: 1, color: 'text.secondary' }}>
          {doubt}
        </Box>
      ))}
      {groups.length > 0 && (
        <Box
          component="table"
          sx={{
            mt: 2,
            borderCollapse: 'collapse',
            fontSize: 14,
            '& td, & th': { textAlign: 'left', pr: 3, py: 0.25 },
          }}
        >
          <thead>
            <tr>
              {[
                words.bench.durations,
                words.bench.mean,
                words.bench.range,
                words.bench.count,
                words.bench.units,
              ].map((h) => (
                <Box component="th" key={h} sx={{ fontWeight: 400, color: 'text.secondary' }}>
                  {h}
                </Box>
              ))}
            </tr>
          </thead>
          <Box component="tbody" sx={{ fontFamily: mono }}>
            {groups.map((g) => (
              <tr key={g.kind + g.center_us}>
                <td>{g.kind}</td>
                <td>{g.center_us.toFixed(0)} µs</td>
                <td>
                  {g.low_us} … {g.high_us}
                </td>
                <td>{g.count}</td>
                <td>{g.units || ''}</td>
              </tr>
            ))}
          </Box>
        </Box>
      )}
    </Panel>
  );
}
