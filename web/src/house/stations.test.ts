import { expect, test } from 'vitest';
import { duration } from './stations';

test('durations are told as a person says them', () => {
  expect(duration(0)).toBe('0 s');
  expect(duration(12_480)).toBe('12.5 s');
  expect(duration(59_999)).toBe('1 min');
  expect(duration(200_000)).toBe('3 min 20 s');
  expect(duration(360_000)).toBe('6 min');
});
