import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import type { MeasurementChart } from '../api/client';
import { useMay } from '../api/may';
import { words } from '../app/words';
import { Heading, Note } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { clock } from '../shared/text';
import { Chart, timeText } from './Chart';
import { DescribeForm } from './DescribeForm';
import { useChart, useMeasurements } from './queries';
import { gaugeText, sourceText } from './text';

const w = words.measurements;
const points = 1000;

// MeasurementPage is one measurement: its value, its history as a chart, and what is said of it.
export default function MeasurementPage() {
  const { '*': name = '' } = useParams();
  const may = useMay();
  const go = useNavigate();
  const all = useMeasurements();
  const [hours, setHours] = useState(24);
  const [describes, setDescribes] = useState(false);
  const chart = useChart(name, hours, points);
  const m = all.data?.find((one) => one.name === name);
  const file = (as: string) => {
    const since = new Date((chart.data?.at[0] ?? 0) * 1000).toISOString();
    return `/api/measurement-export?${new URLSearchParams({ name, since, as }).toString()}`;
  };
  return (
    <>
      <Box
        component={Link}
        to="/automate"
        sx={{ color: 'text.secondary', minHeight: 44, display: 'inline-flex', alignItems: 'center' }}
      >
        {w.back}
      </Box>
      <Heading title={name} under={m && `${sourceText(m)}${m.at ? `, ${clock(m.at)}` : ''}`}>
        {m && <Box sx={{ fontSize: 28, fontWeight: 600 }}>{gaugeText(m)}</Box>}
      </Heading>
      {m?.refused && <Note alert>{w.refused(m.refused)}</Note>}
      {m?.battery === 'low' && <Note alert>{w.low}</Note>}
      <Box role="group" aria-label={w.span} sx={{ display: 'flex', gap: 1, flexWrap: 'wrap', py: 1.5 }}>
        {Object.entries(w.spans).map(([h, text]) => (
          <Button
            key={h}
            size="small"
            variant={hours === Number(h) ? 'contained' : 'outlined'}
            aria-pressed={hours === Number(h)}
            onClick={() => setHours(Number(h))}
          >
            {text}
          </Button>
        ))}
      </Box>
      <Failed of={[chart]} />
      {chart.data && chart.data.at.length === 0 && <Note>{w.noHistory}</Note>}
      {chart.data && chart.data.at.length > 0 && (
        <>
          <Chart chart={chart.data} name={w.chart(name)} />
          <Table chart={chart.data} />
        </>
      )}
      <Box sx={{ display: 'flex', gap: 1, flexWrap: 'wrap', pt: 1 }}>
        <Button size="small" component="a" href={file('csv')} download>
          {w.export}
        </Button>
        <Button size="small" component="a" href={file('json')} download>
          {w.exportJSON}
        </Button>
        {may('arrange') && m && (
          <Button size="small" aria-expanded={describes} onClick={() => setDescribes(!describes)}>
            {w.change}
          </Button>
        )}
      </Box>
      {describes && m && (
        <DescribeForm gauge={m} onDone={() => setDescribes(false)} onGone={() => void go('/automate')} />
      )}
    </>
  );
}

const most = 200;

// Table is the chart in numbers: the last of them.
function Table({ chart: c }: { chart: MeasurementChart }) {
  const from = Math.max(c.at.length - most, 0);
  return (
    <Box component="details">
      <Box
        component="summary"
        sx={{ minHeight: 44, display: 'flex', alignItems: 'center', cursor: 'pointer', fontWeight: 600 }}
      >
        {w.table}
      </Box>
      <Box
        component="table"
        sx={{ borderCollapse: 'collapse', '& td, & th': { textAlign: 'left', pr: 3, py: 0.25 } }}
      >
        <thead>
          <tr>
            {[w.at, w.least, w.mean, w.most].map((head) => (
              <th key={head}>{head}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {c.at.slice(from).map((at, i) => (
            <tr key={at + i}>
              <td>{timeText(at, 0)}</td>
              {[c.least, c.mean, c.most].map((of, k) => (
                <td key={k}>{Number((of[from + i] ?? 0).toPrecision(6))}</td>
              ))}
            </tr>
          ))}
        </tbody>
      </Box>
    </Box>
  );
}
