import Box from '@mui/material/Box';
import { useColorScheme } from '@mui/material/styles';
import { useEffect, useRef } from 'react';
import uPlot from 'uplot';
import 'uplot/dist/uPlot.min.css';
import type { MeasurementChart } from '../api/client';

// Chart draws the history of a measurement: its mean as a line, and from least to most as a band.
export function Chart({
  chart,
  name,
  height = 300,
}: {
  chart: MeasurementChart;
  name: string;
  height?: number;
}) {
  const box = useRef<HTMLDivElement>(null);
  const { mode, systemMode } = useColorScheme();
  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const style = getComputedStyle(document.body);
    const colour = (of: string) => style.getPropertyValue(`--mui-palette-${of}`).trim();
    const line = colour('received');
    const text = colour('text-primary') || style.color;
    const axis = {
      stroke: text,
      font: '13px "Source Sans 3"',
      grid: { stroke: colour('divider'), width: 1 },
      ticks: { stroke: colour('divider'), width: 1 },
    };
    const u = new uPlot(
      {
        width: element.clientWidth,
        height,
        legend: { show: true, live: true },
        cursor: { drag: { x: true, y: false } },
        scales: { x: { time: true } },
        axes: [
          { ...axis, values: (_, splits, __, ___, each) => splits.map((s) => timeText(s, each)) },
          {
            ...axis,
            size: 62,
            values: (_, splits) =>
              splits.map((v) => `${Number(v.toPrecision(6))} ${chart.unit ?? ''}`.trim()),
          },
        ],
        series: [
          { label: 'at', value: (_, v) => (v === null ? '–' : timeText(v, 0)) },
          { label: 'least', stroke: 'transparent', width: 0, points: { show: false } },
          { label: 'most', stroke: 'transparent', width: 0, points: { show: false } },
          { label: 'mean', stroke: line, width: 2, points: { show: chart.at.length < 40 }, spanGaps: true },
        ],
        bands: [{ series: [2, 1], fill: `${line}40` }],
      },
      [chart.at, chart.least, chart.most, chart.mean],
      element,
    );
    const resized = new ResizeObserver(() => u.setSize({ width: element.clientWidth, height }));
    resized.observe(element);
    return () => {
      resized.disconnect();
      u.destroy();
    };
  }, [chart, height, mode, systemMode]);
  return (
    <Box
      ref={box}
      role="img"
      aria-label={name}
      sx={{
        width: '100%',
        '& .u-legend': { fontSize: 14, fontFamily: 'inherit', textAlign: 'left' },
        '& .u-legend th': { fontWeight: 400 },
      }}
    />
  );
}

const two = (n: number) => String(n).padStart(2, '0');

// timeText is a time of a chart: its date where the marks are days apart, else its time of day.
export function timeText(seconds: number, each: number): string {
  const t = new Date(seconds * 1000);
  const date = `${t.getFullYear()}-${two(t.getMonth() + 1)}-${two(t.getDate())}`;
  const time = `${two(t.getHours())}:${two(t.getMinutes())}`;
  if (each === 0) return `${date} ${time}`;
  if (each >= 86_400) return date.slice(5);
  return time === '00:00' ? date.slice(5) : time;
}
