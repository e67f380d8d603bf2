import { expect, it } from 'vitest';
import type { DeviceLine } from '../api/client';
import { search } from './search';

const lamp = {
  slug: 'lamp',
  name: 'Reading lamp',
  room: 'Dome',
  kind: 'light',
  maker: 'Corvane',
  model: '',
} as DeviceLine;
const fan = { ...lamp, slug: 'fan', name: 'Air mixer', kind: 'fan', maker: 'Aldergate' };

it('finds devices that have all words anywhere', () => {
  expect(search([lamp, fan], ' dome ALDER ')).toEqual([fan]);
  expect(search([lamp, fan], 'dome')).toEqual([lamp, fan]);
  expect(search([lamp, fan], 'dome projector')).toEqual([]);
  expect(search([lamp, fan], '  ')).toEqual([lamp, fan]);
});
