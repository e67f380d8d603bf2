import { describe, expect, it } from 'vitest';
import { face, stored, swap } from './face';

describe('face', () => {
  it('shows every key exactly once', () => {
    const keys = [
      'power',
      'up',
      'down',
      'left',
      'right',
      'ok',
      'menu',
      '1',
      '0',
      'mute',
      'volume-up',
      'x',
      'y',
      'z',
      'dim',
    ];
    const shown = face(keys)
      .flat()
      .filter((k) => k !== null);
    expect([...shown].sort()).toEqual([...keys].sort());
  });
  it('lays arrows out as a cross', () => {
    expect(face(['up', 'down', 'left', 'right', 'ok'])).toEqual([
      [null, 'up', null],
      ['left', 'ok', 'right'],
      [null, 'down', null],
    ]);
  });
  it('lays digits out as on a telephone', () => {
    expect(face(['0', '1', '2', '3', '4', '5', '6', '7', '8', '9']).at(-1)).toEqual([null, '0', null]);
  });
  it('puts louder right of softer, and above it where channels stand beside', () => {
    expect(face(['volume-up', 'volume-down'])).toEqual([['volume-down', null, 'volume-up']]);
    expect(face(['volume-up', 'volume-down', 'channel-up', 'channel-down'])).toEqual([
      ['volume-up', null, 'channel-up'],
      ['volume-down', null, 'channel-down'],
    ]);
  });
  it('puts on left of off', () => {
    expect(face(['off', 'on'])).toEqual([['on', null, 'off']]);
  });
});

it('an arranged face comes first; keys that nobody placed follow, and keys that are gone leave a gap', () => {
  expect(
    face(
      ['power', 'mute', 'menu'],
      [
        ['mute', '', 'gone'],
        ['', 'power'],
      ],
    ),
  ).toEqual([
    ['mute', null, null],
    [null, 'power', null],
    ['menu', null, null],
  ]);
});

it('keys change places, and empty rows at the end are not kept', () => {
  const rows = swap(
    [
      ['a', 'b', null],
      [null, null, null],
    ],
    [0, 0],
    [0, 2],
  );
  expect(stored(rows)).toEqual([['', 'b', 'a']]);
});
