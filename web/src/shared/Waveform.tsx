import { useTheme } from '@mui/material/styles';
import Box from '@mui/material/Box';
import { outline, shown, ticks, total } from './waveform';

const width = 1000;

// Waveform draws a train as filled marks over an axis in ms.
export function Waveform({ train, height = 44, sent }: { train: number[]; height?: number; sent?: boolean }) {
  const { vars } = useTheme();
  const durations = shown(train);
  const length = total(durations);
  const colour = sent ? vars?.palette.transmitted : vars?.palette.received;
  const marks = ticks(length, 5);
  return (
    <Box
      role="img"
      aria-label={`${train.length} durations, ${(total(train) / 1000).toFixed(1)} ms`}
      sx={{ my: 1 }}
    >
      <svg
        viewBox={`0 0 ${width} ${height}`}
        width="100%"
        height={height}
        preserveAspectRatio="none"
        style={{ display: 'block' }}
      >
        <path d={outline(durations, width, height)} fill={colour} />
        <path d={`M0 ${height}H${width}`} stroke={colour} strokeWidth="1" vectorEffect="non-scaling-stroke" />
      </svg>
      <Box
        sx={{
          position: 'relative',
          height: 18,
          fontSize: 12,
          color: 'text.secondary',
          fontFamily: 'inherit',
        }}
      >
        {marks.map((t, i) => (
          <Box
            key={t}
            component="span"
            sx={{
              position: 'absolute',
              left: `${(100 * t) / Math.max(length, 1)}%`,
              transform: i === 0 ? 'none' : 'translateX(-50%)',
              whiteSpace: 'nowrap',
            }}
          >
            {t / 1000}
            {i === 0 ? ' ms' : ''}
          </Box>
        ))}
      </Box>
    </Box>
  );
}
