import { describe, expect, it } from 'vitest';
import type { HouseDay } from '../api/client';
import { labels, minuteOf, shades, signs } from './day';

const came = (at: string, did: HouseDay['came'][0]['did'], cue = 'at 7:00', errand = 'dry') => ({
  at,
  errand,
  cue,
  did,
  answers: [],
});

const day: HouseDay = {
  date: '2026-12-05',
  from: '2026-12-05T00:00:00Z',
  to: '2026-12-06T00:00:00Z',
  now: '2026-12-05T14:31:00Z',
  sun: [
    { event: 'dawn', at: '2026-12-05T07:17:00Z' },
    { event: 'sunrise', at: '2026-12-05T08:00:00Z' },
    { event: 'sunset', at: '2026-12-05T15:39:00Z' },
    { event: 'dusk', at: '2026-12-05T16:22:00Z' },
  ],
  occasions: [],
  came: [
    came('2026-12-05T02:30:00Z', 'ran', 'at 2:30', 'close'),
    came('2026-12-05T03:00:00Z', 'ran', 'while dome/humidity above 85 %'),
    came('2026-12-05T05:00:00Z', 'ended', 'while dome/humidity above 85 %'),
    came('2026-12-05T10:20:00Z', 'unknown'),
    came('2026-12-05T12:00:00Z', 'ran', 'while dome/humidity above 85 %'),
  ],
  next: [{ at: '2026-12-05T16:32:00Z', errand: 'dusk' }],
};

describe('a day', () => {
  it('has a mark for each cue, and long ones for what lasts', () => {
    expect(signs(day)).toEqual([
      { minute: 150, name: 'close', kind: 'ran' },
      { minute: 180, until: 300, name: 'dry', kind: 'ran' },
      { minute: 620, name: 'dry', kind: 'asked' },
      { minute: 720, until: 871, name: 'dry', kind: 'ran' },
      { minute: 992, name: 'dusk', kind: 'due' },
    ]);
  });
  it('is dark from dusk to dawn', () => {
    expect(shades(day)).toEqual([
      { from: 0, to: 437, night: true },
      { from: 437, to: 480, night: false },
      { from: 939, to: 982, night: false },
      { from: 982, to: 1440, night: true },
    ]);
    expect(shades({ ...day, sun: [] })).toEqual([]);
  });
  it('keeps to the clock of the house', () => {
    expect(minuteOf('2026-12-05T23:30:30+01:00')).toBe(1410.5);
  });
  it('puts names where there is room', () => {
    const got = labels(
      [
        { x: 10, text: 'dusk' },
        { x: 12, text: 'lived-in' },
        { x: 14, text: 'none' },
      ],
      300,
      7,
      2,
    );
    expect(got).toEqual([
      { x: 16, row: 0, text: 'dusk' },
      { x: 18, row: 1, text: 'lived-in' },
    ]);
  });
});
