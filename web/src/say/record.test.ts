import { expect, test } from 'vitest';
import { joined, wav } from './record';

test('a recording is one channel of 16 bits, and what is too loud is cut', () => {
  const file = new DataView(wav(joined([new Float32Array([0, 0.5]), new Float32Array([-2, 1])])));
  expect(file.byteLength).toBe(44 + 8);
  expect(file.getUint32(24, true)).toBe(16000);
  expect(file.getUint32(40, true)).toBe(8);
  expect([0, 1, 2, 3].map((i) => file.getInt16(44 + 2 * i, true))).toEqual([0, 16384, -32767, 32767]);
});
