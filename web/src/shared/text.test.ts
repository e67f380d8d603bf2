import { expect, it } from 'vitest';
import { clock, fields, hertz, sends } from './text';

it('shows the date only when it is not today', () => {
  const now = new Date(2026, 5, 3, 21, 0, 0);
  expect(clock(new Date(2026, 5, 3, 9, 5, 7).toISOString(), now)).toBe('09:05:07');
  expect(clock(new Date(2026, 5, 2, 9, 5, 7).toISOString(), now)).toBe('2026-06-02 09:05:07');
});
it('prints frequencies with their unit', () => {
  expect(hertz(38000)).toBe('38 kHz');
  expect(hertz(433_920_000)).toBe('433.92 MHz');
});
it('prints codes for people', () => {
  expect(fields({ command: 2, address: 57 })).toBe('address 57, command 2');
  expect(sends({ sheet: 'pt2262', fields: { values: '0F1' } })).toBe('pt2262: values 0F1');
  expect(sends({ train: [500, 600, 500] })).toBe('train of 3 durations');
});
