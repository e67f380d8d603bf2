import { expect, test } from 'vitest';
import type { Mqtt } from '../api/client';
import { change, commands, stateOf } from './mqtt';

const own: Mqtt = {
  on: true,
  has_password: false,
  base: 'urbo/house',
  rights: ['see'],
  where: { house: true },
  words: [],
  at: 'own',
  listens: '127.0.0.1:1883',
  here: true,
  topics: 3,
  took: 0,
};

test('only what is different is changed, and a password that is not typed stays', () => {
  const same = { broker: '', user: '', password: '', ca: '', base: 'urbo/house', use: false };
  expect(change(own, same)).toEqual({});
  expect(change(own, { ...same, broker: ' mqtts://hub ', user: 'u', ca: 'PEM', use: true })).toEqual({
    broker: 'mqtts://hub',
    user: 'u',
    ca: 'PEM',
    rights: ['see', 'use'],
  });
  const outside: Mqtt = { ...own, broker: 'mqtt://hub', user: 'u', has_password: true, at: 'mqtt://hub' };
  expect(change(outside, { ...same, broker: 'mqtt://hub', user: 'u' })).toEqual({});
});

test('how it is is said in words', () => {
  expect(stateOf(own)).toContain("house's own broker, 127.0.0.1:1883");
  expect(stateOf({ ...own, on: false })).toBe('Off.');
  expect(stateOf({ ...own, at: undefined })).toContain('There is no broker');
  expect(stateOf({ ...own, at: 'mqtt://hub', here: false, error: 'refused' })).toContain('refused');
  expect(commands(own)[0]?.text).toBe(
    "mosquitto_sub -h 127.0.0.1 -p 1883 -u urbo.program -P TOKEN -t 'urbo/house/#' -v",
  );
});
