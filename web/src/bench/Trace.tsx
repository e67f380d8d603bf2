import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useColorScheme } from '@mui/material/styles';
import { useEffect, useMemo, useRef, useState } from 'react';
import uPlot from 'uplot';
import 'uplot/dist/uPlot.min.css';
import { mono } from '../app/theme';
import { words } from '../app/words';
import { draw, type Row } from './draw';
import { gestures } from './gestures';
import { at, pan, zoom, type View } from './trace';

type Props = { rows: Row[]; view: View; height?: number; name: string };

// Trace draws one signal, or two on one axis, with zoom, pan and a cursor in µs. Drag to zoom in, turn the wheel or
// pinch, drag with shift (or one finger) to pan, press twice for the whole.
export function Trace({ rows, view, height = 190, name }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const plot = useRef<uPlot | null>(null);
  const latest = useRef(rows);
  const [cursor, setCursor] = useState<number | null>(null);
  const { mode } = useColorScheme();
  const end = Math.max(...rows.map((r) => r.times.at(-1) ?? 1));
  const whole = useMemo(() => ({ min: -0.02 * end, max: 1.02 * end }), [end]);

  useEffect(() => {
    latest.current = rows;
    plot.current?.redraw(false);
  }, [rows, mode]);

  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const u = new uPlot(
      options(element.clientWidth, height, view, whole, latest, setCursor),
      [
        [0, whole.max],
        [0, 0],
      ],
      element,
    );
    plot.current = u;
    const resized = new ResizeObserver(() => u.setSize({ width: element.clientWidth, height }));
    resized.observe(element);
    return () => {
      resized.disconnect();
      u.destroy();
      plot.current = null;
    };
  }, [height, view, whole]);

  const change = (f: (v: View) => View) => {
    const u = plot.current;
    if (u) u.setScale('x', f({ min: u.scales.x?.min ?? 0, max: u.scales.x?.max ?? end }));
  };
  const middle = (v: View) => (v.min + v.max) / 2;
  const onKey = (e: React.KeyboardEvent) => {
    const moves: Record<string, (v: View) => View> = {
      ArrowLeft: (v) => pan(v, whole, -(v.max - v.min) / 5),
      ArrowRight: (v) => pan(v, whole, (v.max - v.min) / 5),
      '+': (v) => zoom(v, whole, middle(v), 0.6),
      '-': (v) => zoom(v, whole, middle(v), 1 / 0.6),
      '0': () => whole,
    };
    const move = moves[e.key];
    if (move) {
      e.preventDefault();
      change(move);
    }
  };
  return (
    <Box>
      <Box
        ref={box}
        role="img"
        tabIndex={0}
        aria-label={name}
        onKeyDown={onKey}
        sx={{
          touchAction: 'pan-y',
          '& .u-select': { bgcolor: 'text.primary', opacity: 0.12 },
          '& .u-cursor-x': { borderRight: '1px solid', borderColor: 'text.primary' },
          '&:focus-visible': { outline: '3px solid', outlineOffset: 2 },
        }}
      />
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1, alignItems: 'center' }}>
        <Button size="small" onClick={() => change((v) => zoom(v, whole, middle(v), 0.5))}>
          {words.bench.zoomIn}
        </Button>
        <Button size="small" onClick={() => change((v) => zoom(v, whole, middle(v), 2))}>
          {words.bench.zoomOut}
        </Button>
        <Button size="small" onClick={() => change(() => whole)}>
          {words.bench.zoomWhole}
        </Button>
        <Box
          aria-live="off"
          sx={{ fontFamily: mono, fontSize: 13, color: 'text.secondary', minHeight: '1.4em' }}
        >
          {cursor === null
            ? touched()
              ? words.bench.cursorTouch
              : words.bench.cursorHow
            : under(rows, cursor)}
        </Box>
      </Box>
    </Box>
  );
}

// touched says whether fingers are what people point with here.
const touched = () => window.matchMedia('(pointer: coarse)').matches;

// under says what lies at a time: "13.540 ms · mark 564 µs · bit 1".
function under(rows: Row[], us: number): string {
  const parts = [`${(us / 1000).toFixed(3)} ms`];
  for (const r of rows) {
    const i = at(r.times, us);
    if (i < 0) continue;
    const kind = i % 2 === 0 ? words.bench.mark : words.bench.space;
    const label = r.labels?.find((l) => l.from <= i && i < l.to)?.text;
    parts.push(
      `${r.name ? `${r.name}: ` : ''}${kind} ${Math.round((r.times[i + 1] ?? 0) - (r.times[i] ?? 0))} µs${label ? ` (${label})` : ''}`,
    );
  }
  return parts.join(' · ');
}

function options(
  width: number,
  height: number,
  view: View,
  whole: View,
  rows: { current: Row[] },
  setCursor: (us: number | null) => void,
): uPlot.Options {
  const ink = () => getComputedStyle(document.body).color;
  return {
    width,
    height,
    legend: { show: false },
    cursor: { y: false, points: { show: false }, drag: { x: true, y: false } },
    scales: { x: { time: false, min: view.min, max: view.max }, y: { range: [0, 1] } },
    axes: [
      {
        stroke: ink,
        font: `12px ${mono}`,
        grid: { show: false },
        ticks: { stroke: ink, size: 5 },
        size: 34,
        values: (_, splits) =>
          splits.map((us, i) => `${Number((us / 1000).toFixed(3))}${i === 0 ? ' ms' : ''}`),
      },
      { show: false },
    ],
    series: [{}, { show: true, stroke: 'transparent', points: { show: false } }],
    hooks: {
      draw: [(u) => draw(u, rows.current)],
      setCursor: [(u) => setCursor((u.cursor.left ?? -1) < 0 ? null : u.posToVal(u.cursor.left ?? 0, 'x'))],
    },
    plugins: [gestures(whole)],
  };
}
