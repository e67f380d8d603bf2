import { expect, test } from 'vitest';
import type { Control } from '../api/client';
import { answered, milliseconds } from './answer';

const power = { name: 'power', kind: 'power', round: 'power' } as Control;

test('times are read as people write them', () => {
  expect(milliseconds('20')).toBe(20_000);
  expect(milliseconds('4,5 s')).toBe(4500);
  expect(milliseconds('2 min')).toBe(120_000);
  expect(milliseconds('soon')).toBeUndefined();
});

test('an answer goes into its form and no other', () => {
  const other = { name: 'source', kind: 'selector', values: ['a', 'b'] } as Control;
  const ask = (control: string, field: string) => ({ control, field, text: '' });
  expect(answered([power, other], ask('source', 'values'), 'A, B network')?.[1]?.values).toEqual([
    'a',
    'b',
    'network',
  ]);
  expect(answered([power, other], ask('source', 'values'), 'a')).toBeUndefined();
  expect(answered([power], ask('power', 'warm_up_ms'), '20 s')?.[0]?.warm_up_ms).toBe(20_000);
  expect(answered([power], ask('power', 'again_ms'), 'no')).toEqual([power]);
  const on = answered([power], ask('power', 'keys'), 'on')?.[0];
  expect(on?.keys).toEqual({ on: 'power' });
  expect(on?.round).toBeUndefined();
});
