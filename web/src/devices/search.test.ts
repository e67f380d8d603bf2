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

it('ranks whole words and exact numbers first', () => {
  const many = [12, 2, 20, 21].map((n) => ({ ...lamp, slug: `lamp-${n}`, name: `Lamp ${n}` }));
  expect(search(many, 'lamp 2').map((d) => d.name)).toEqual(['Lamp 2', 'Lamp 12', 'Lamp 20', 'Lamp 21']);
  const light = { ...fan, slug: 'dome', name: 'Dome light', room: 'Outside' };
  expect(search([lamp, light], 'dome')).toEqual([light, lamp]);
});
