import { expect, test } from 'vitest';
import type { Control } from '../api/client';
import { carried } from './frames';

const whole = {
  sheet: 'own',
  fixed: { head: 156 },
  settings: [
    { control: 'power', field: 'p', values: { on: 1, off: 0 } },
    { control: 'target', field: 'c', from: 16 },
    { control: 'sleep', field: 's', from: 0 },
  ],
};
const controls = [
  { name: 'power', kind: 'power' },
  { name: 'target', kind: 'dial', least: 16, most: 30, unit: '°C' },
  { name: 'sleep', kind: 'dial', least: 1, most: 8, unit: 'h' },
] as Control[];

test('what a field carries is written as it is read', () => {
  expect(carried('p', whole, controls)).toEqual({
    control: 'power',
    field: 'p',
    values: 'off=0, on=1',
    unit: '',
  });
  expect(carried('c', whole, controls).values).toBe('16 to 30');
  expect(carried('s', whole, controls)).toEqual({
    control: 'sleep',
    field: 's',
    values: '1 to 8 = 0',
    unit: 'h',
  });
  const half = [{ name: 'target', kind: 'dial', least: 16, most: 30, step: 0.5 }] as Control[];
  expect(carried('c', whole, half).values).toBe('16 to 30 by 0.5 = 16');
  expect(carried('head', whole, controls)).toEqual({ control: '', field: 'head', values: '156', unit: '' });
  expect(carried('other', undefined, []).control).toBe('');
});
