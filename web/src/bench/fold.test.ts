import { describe, expect, it } from 'vitest';
import type { Capture } from '../api/client';
import { fold } from './fold';

const heard = (id: string, command: number, more: Partial<Capture> = {}): Capture => ({
  id,
  at: '2026-12-05T18:00:00Z',
  station: 'lecture',
  port: 'ir-in',
  medium: 'infrared',
  count: 1,
  trains: [],
  readings: [
    {
      sheet: 'nec',
      fields: { address: 57, command },
      frames: 1,
      repeats: 0,
      from_us: 0,
      to_us: 68_000,
      deviation_us: 0,
      unit_us: 562,
      stretch_us: 0,
      confidence: 1,
    },
  ],
  keys: [],
  echo: false,
  stored: true,
  ...more,
});
const ids = (groups: Capture[][]) => groups.map((g) => g.map((c) => c.id).join(' '));

describe('fold', () => {
  it('gathers what came again and again, in its order', () => {
    expect(ids(fold([heard('e', 5), heard('d', 5), heard('c', 2), heard('b', 5), heard('a', 5)]))).toEqual([
      'e d',
      'c',
      'b a',
    ]);
  });
  it('keeps apart what another receiver heard, and what Urbo sent', () => {
    expect(
      ids(fold([heard('c', 5), heard('b', 5, { station: 'dome' }), heard('a', 5, { echo: true })])),
    ).toEqual(['c', 'b', 'a']);
  });
  it('keeps apart what it cannot read', () => {
    expect(ids(fold([heard('b', 0, { readings: [] }), heard('a', 0, { readings: [] })]))).toEqual(['b', 'a']);
  });
});
