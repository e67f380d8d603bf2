import { expect, test } from 'vitest';
import type { Control } from '../api/client';
import { fieldsOf, read, written } from './form';

const full: Control[] = [
  {
    name: 'power',
    kind: 'power',
    keys: { on: 'on', off: 'off' },
    again_ms: 4000,
    warm_up_ms: 20_000,
    longest_on_s: 90,
    goes_off_s: 14_400,
    goes_off_from: 'key',
  },
  {
    name: 'volume',
    kind: 'dial',
    least: 0,
    most: 60,
    up: 'volume-up',
    down: 'volume-down',
    rate: 5,
    rate_later: 12,
    rate_ms: 2000,
    rest_ms: 4000,
    ends: 'stop',
  },
  { name: 'sleep', kind: 'selector', values: ['off', '30'], round: 'sleep', after_s: { '30': 1800 } },
  {
    name: 'picture',
    kind: 'selector',
    values: ['film', 'talk'],
    sequences: { film: ['menu', '1'], talk: ['menu', '2'] },
  },
  { name: 'channel', kind: 'digits', most: 99, favourites: { 'marsh radio': 47 }, timeout_ms: 2500 },
  { name: 'position', kind: 'travel', open: 'up', close: 'down', stop: 'stop', open_ms: 18_500 },
];

test('every member of a form reads back as it is written', () => {
  for (const c of full) {
    let again = { name: c.name, kind: c.kind } as Control;
    for (const f of fieldsOf[c.kind]) again = read(again, f, written(c, f)) ?? again;
    expect(again).toEqual(c);
  }
});

test('what cannot be read is not taken', () => {
  const c = { name: 'x', kind: 'power' } as Control;
  expect(read(c, { name: 'warm_up_ms', way: 'seconds' }, 'soon')).toBeUndefined();
  expect(read(c, { name: 'warm_up_ms', way: 'seconds' }, '-1')).toBeUndefined();
  expect(read(c, { name: 'keys', way: 'pairs' }, 'on')).toBeUndefined();
  expect(read(c, { name: 'keys', way: 'pairs' }, 'on=')).toBeUndefined();
  expect(read(c, { name: 'favourites', way: 'counts' }, 'marsh=many')).toBeUndefined();
  expect(read(c, { name: 'warm_up_ms', way: 'seconds' }, '20 s')?.warm_up_ms).toBe(20_000);
  expect(read({ ...c, warm_up_ms: 3 }, { name: 'warm_up_ms', way: 'seconds' }, ' ')).toEqual(c);
});
