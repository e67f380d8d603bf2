import { describe, expect, it } from 'vitest';
import { longestShown, outline, shown, ticks, total } from './waveform';

describe('waveform', () => {
  it('draws a box for every mark, to scale', () => {
    expect(outline([10, 20, 10], 80, 30)).toBe('M0.00 30V0h20.00V30ZM60.00 30V0h20.00V30Z');
  });
  it('ends a long press where later frames look like the first', () => {
    const long = Array.from({ length: 101 }, () => 5000);
    expect(total(shown(long))).toBe(longestShown);
  });
  it('shows at least one duration', () => {
    expect(shown([200_000, 10, 10])).toEqual([200_000]);
  });
  it('puts ticks at round numbers', () => {
    expect(ticks(67_500, 5)).toEqual([0, 20_000, 40_000, 60_000]);
  });
});
