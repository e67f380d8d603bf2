import { expect, test } from 'vitest';
import { parseSweep } from './sweep';

test('a sweep is a line code with one range among its fields', () => {
  expect(parseSweep('nec address=0..0x3F command=2')).toEqual({
    sheet: 'nec',
    fields: { command: 2 },
    field: 'address',
    from: 0,
    to: 63,
  });
});

test.each(['', 'nec', 'nec address=5', 'nec address=0..3 command=0..3', 'nec address=a..b', 'nec address'])(
  '%j is no sweep',
  (text) => expect(parseSweep(text)).toBeUndefined(),
);
