import { expect, test } from 'vitest';
import type { Control, ControlState } from '../api/client';
import { comfortOf, from, lacks, shown, step, valuesOf } from './state';

const state = (more: Partial<ControlState>): ControlState => ({
  control: 'volume',
  kind: 'dial',
  may: [],
  word: 'believed',
  history: [],
  ...more,
});

test('what is believed is told with its doubt', () => {
  expect(shown(state({}))).toBe('not known');
  expect(shown(state({ source: 'sent', value: '22' }))).toBe('22');
  expect(shown(state({ source: 'sent', value: '21', unit: '°C', word: 'doubtful' }))).toBe('21 °C ?');
  expect(shown(state({ source: 'heard', may: ['off', 'on'], word: 'doubtful' }))).toBe('off or on ?');
  expect(shown(state({ source: 'sent', value: 'on', phase: 'warming' }))).toBe('on, warms up');
});

test('where it comes from stands beside what it was before', () => {
  const at = new Date(2026, 2, 1, 21, 4, 0).toISOString();
  expect(
    from(state({ source: 'heard', value: 'on', history: [{ value: 'on', at }, { value: 'off' }] })),
  ).toMatch(/^heard from its handset .*21:04:00; before: off$/);
});

test('a dial goes in its steps and stays within its ends', () => {
  const c = { name: 't', kind: 'dial', least: 16, most: 30, step: 0.5 } as Control;
  expect(step(c, 20, 1)).toBe(20.5);
  expect(step(c, 29.5, 5)).toBe(30);
  expect(step(c, 16, -1)).toBe(16);
});

test('a power without named values is off or on', () => {
  expect(valuesOf({ name: 'power', kind: 'power' } as Control)).toEqual(['off', 'on']);
});

test('what a device for heating and cooling lacks is told in words', () => {
  const power = { name: 'power', kind: 'power' } as Control;
  const target = { name: 'target', kind: 'dial', least: 16, most: 30, unit: '°C' } as Control;
  const mode = { name: 'mode', kind: 'selector', values: ['auto', 'cooling', 'heating'] } as Control;
  const fan = { name: 'fan', kind: 'selector', values: ['low', 'high'] } as Control;
  const all = [power, mode, target, fan];
  expect(comfortOf(all)).toBe(target);
  expect(comfortOf([{ ...target, unit: '' }, power])).toBeUndefined();
  expect(lacks(all)).toEqual(['drying', 'fan-only mode', 'vane']);
});
