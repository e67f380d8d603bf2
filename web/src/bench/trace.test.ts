import { expect, test } from 'vitest';
import type { Structure } from '../api/client';
import { changed, at, edges, flatten, labels, opening, pan, zoom } from './trace';

test('trains of a press are joined by their gaps, and an unknown gap counts as the least there can be', () => {
  const trains = [
    { train: [500, 600, 500], gap_us: 30_000 },
    { train: [500], gap_us: 0 },
    { train: [400], gap_us: 250_000 },
  ];
  expect(flatten(trains)).toEqual([500, 600, 500, 30_000, 500, 20_000, 400]);
});

test('the duration under the cursor', () => {
  const times = edges([100, 200, 300]);
  expect(times).toEqual([0, 100, 300, 600]);
  expect([-1, 0, 99, 100, 599, 600].map((us) => at(times, us))).toEqual([-1, 0, 0, 1, 2, -1]);
  expect(edges([100], 0.5, 40)).toEqual([40, 90]);
  expect(at([], 5)).toBe(-1);
});

const structure = {
  starts: [0, 6],
  frames: 2,
  spans: [
    { from: 0, to: 2, text: 'lead' },
    { from: 2, to: 4, text: '1' },
    { from: 4, to: 5, text: 'tail' },
  ],
} as Structure;

test('labels stand on every frame that was heard', () => {
  const all = labels(structure, 11);
  expect(all.filter((l) => l.text === '1').map((l) => l.from)).toEqual([2, 8]);
  expect(labels(undefined, 11)).toEqual([]);
});

test('a press of several frames opens with the first', () => {
  const times = edges([900, 400, 100, 200, 100, 5000, 900, 400, 100, 200, 100]);
  const view = opening(structure, times);
  expect(view.min).toBeLessThan(0);
  expect(view.max).toBeGreaterThan(6700);
  expect(view.max).toBeLessThan(7200);
  expect(opening(undefined, times).max).toBeGreaterThan(8400);
});

test('zoom and pan stay within the whole', () => {
  const whole = { min: 0, max: 10_000 };
  expect(zoom(whole, whole, 2500, 0.5)).toEqual({ min: 1250, max: 6250 });
  expect(zoom({ min: 1000, max: 2000 }, whole, 1500, 100)).toEqual(whole);
  expect(zoom({ min: 1000, max: 1300 }, whole, 1000, 0.01)).toEqual({ min: 1000, max: 1200 });
  expect(pan({ min: 9000, max: 9500 }, whole, 5000)).toEqual({ min: 9500, max: 10_000 });
});

test('the bits that are not the same are counted over all blocks, and what carries none is not', () => {
  const spans = ['lead', '0', '1', 'pause', '1', '1', 'tail'].map((text, i) => ({
    from: 2 * i,
    to: 2 * i + 2,
    text,
  }));
  expect(changed(spans, [2, 3]).map((l) => l.from)).toEqual([4, 8]);
  expect(changed(spans, [])).toEqual([]);
});
