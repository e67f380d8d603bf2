import { expect, test } from 'vitest';
import { costOf, takes } from './cost';

test('times are said as people say them', () => {
  expect([200, 1600, 90_000, 600_000, 9_000_000].map(takes)).toEqual([
    'less than a second',
    '2 s',
    '90 s',
    '10 min',
    '2 h 30 min',
  ]);
});

test('what presses nothing is said, and what an errand does is not guessed', () => {
  expect(costOf({ does: 'steps', presses: 0, takes_ms: 0 })).toContain('Nothing has to be pressed');
  expect(costOf({ does: 'steps', presses: 1, takes_ms: 20_000 })).toBe('1 press, 20 s');
  expect(costOf({ does: 'cue', presses: 0, takes_ms: 0 })).toContain('errand');
});
