import { useMe } from '../api/queries';
import { useChart } from './queries';

const width = 100;
const height = 26;

// Spark is the last day of a measurement as a small line, whose place is kept until it is there. Guests of a board see
// the value alone.
export function Spark({ name }: { name: string }) {
  const me = useMe();
  if (!name || me.data?.role === 'guest') return null;
  return (
    <div style={{ height }}>
      <Line name={name} />
    </div>
  );
}

function Line({ name }: { name: string }) {
  const chart = useChart(name, 24, 60, 300_000);
  const c = chart.data;
  if (!c || c.at.length < 2) return null;
  const from = c.at[0] ?? 0;
  const long = (c.at.at(-1) ?? 1) - from || 1;
  const least = Math.min(...c.mean);
  const high = Math.max(...c.mean) - least || 1;
  const points = c.mean
    .map(
      (v, i) =>
        `${(((c.at[i] ?? 0) - from) / long) * width},${height - 2 - ((v - least) / high) * (height - 4)}`,
    )
    .join(' ');
  return (
    <svg
      viewBox={`0 0 ${width} ${height}`}
      preserveAspectRatio="none"
      aria-hidden
      style={{ width: '100%', height, display: 'block' }}
    >
      <polyline
        points={points}
        fill="none"
        stroke="var(--mui-palette-received)"
        strokeWidth={2}
        vectorEffect="non-scaling-stroke"
      />
    </svg>
  );
}
