import { expect, test } from 'vitest';
import { linkTo, pageOf, ticketOf } from './link';

test('a ticket is found however its link was copied', () => {
  expect(ticketOf(' http://127.0.0.1:8433/sign-in#0a1b\n')).toBe('0a1b');
  expect(ticketOf('#0a1b')).toBe('0a1b');
  expect(ticketOf('0a1b ')).toBe('0a1b');
  expect(ticketOf('')).toBe('');
});

test('a sign-in link leads to a page of this house only', () => {
  const link = linkTo('http://127.0.0.1:8433/sign-in#0a1b', '/devices/boardwalk');
  expect(link).toBe('http://127.0.0.1:8433/sign-in?to=%2Fdevices%2Fboardwalk#0a1b');
  expect(ticketOf(link)).toBe('0a1b');
  expect(pageOf(new URL(link).search)).toBe('/devices/boardwalk');
  for (const to of ['', '//elsewhere', 'https://elsewhere', '/\\elsewhere', '/sign-in']) {
    expect(pageOf(`?to=${encodeURIComponent(to)}`)).toBe('/boards');
  }
});
