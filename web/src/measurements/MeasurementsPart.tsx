import Box from '@mui/material/Box';
import { Link } from 'react-router';
import { useState } from 'react';
import type { Gauge } from '../api/client';
import { useMay } from '../api/may';
import { words } from '../app/words';
import { NamedPart } from '../automate/Named';
import { DescribeForm } from './DescribeForm';
import { useMeasurements } from './queries';
import { gaugeText, sourceText } from './text';

// MeasurementsPart is what is measured: each with its value, and a chart of its own behind it.
export function MeasurementsPart() {
  const may = useMay();
  const all = useMeasurements();
  return (
    <NamedPart
      title={words.measurements.title}
      add={words.measurements.add}
      none={words.measurements.none}
      list={all}
      arrange={may('arrange')}
      form={(onDone) => <DescribeForm onDone={onDone} />}
      line={(m) => <MeasurementLine key={m.name} gauge={m} />}
    />
  );
}

function MeasurementLine({ gauge: m }: { gauge: Gauge }) {
  const [asked] = useState(m.name);
  return (
    <Box
      sx={{
        display: 'flex',
        flexWrap: 'wrap',
        columnGap: 2,
        alignItems: 'center',
        minHeight: 52,
        '& + &': { borderTop: '1px dotted', borderColor: 'divider' },
      }}
    >
      <Box
        component={Link}
        to={`/automate/measurements/${asked}`}
        aria-label={words.measurements.open(m.name)}
        sx={{
          fontWeight: 600,
          color: 'inherit',
          minHeight: 44,
          display: 'inline-flex',
          alignItems: 'center',
        }}
      >
        {m.name}
      </Box>
      <Box
        component="span"
        sx={{ fontSize: 20, color: m.silent || !m.at ? 'text.secondary' : 'text.primary' }}
      >
        {gaugeText(m)}
      </Box>
      <Box component="span" sx={{ color: 'text.secondary' }}>
        {words.measurements.sourceOf(sourceText(m))}
      </Box>
      {m.battery === 'low' && (
        <Box component="span" sx={{ color: 'transmitted' }}>
          {words.measurements.low}
        </Box>
      )}
    </Box>
  );
}
