import { expect, test } from 'vitest';
import { bareSamples, readMeta } from './upload';

test('samples alone are told by the end of their name', () => {
  expect(bareSamples('air.cu8')).toBe('cu8');
  expect(bareSamples('AIR.CS16')).toBe('ci16_le');
  expect(bareSamples('air.iq')).toBe('');
  expect(bareSamples('air.sigmf-data')).toBe('');
  expect(bareSamples('keys.wav')).toBeUndefined();
  expect(bareSamples('keys')).toBeUndefined();
});

test('metadata beside samples', () => {
  const meta = {
    global: { 'core:datatype': 'cf32_le', 'core:sample_rate': 1e6 },
    captures: [{ 'core:frequency': 433.92e6 }],
  };
  expect(readMeta(JSON.stringify(meta))).toEqual({
    datatype: 'cf32_le',
    rate_hz: 1e6,
    frequency_hz: 433.92e6,
  });
  expect(readMeta('{}')).toEqual({ datatype: '', rate_hz: 0, frequency_hz: 0 });
  expect(() => readMeta('{')).toThrow();
});
