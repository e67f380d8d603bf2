import { describe, expect, it } from 'vitest';
import { endOf, whereOf, whereText } from './people';

describe('people', () => {
  it('says where somebody may do something', () => {
    expect(whereText({ house: true })).toBe('the whole house');
    expect(whereText({ rooms: ['Dome'], devices: ['boardwalk'] })).toBe('Dome, boardwalk');
    expect(whereText({})).toBe('nowhere any more');
  });
  it('gives an owner the whole house, and others the rooms that were chosen', () => {
    expect(whereOf('owner', ['Dome'])).toEqual({ house: true });
    expect(whereOf('visitor', ['Dome'])).toEqual({ rooms: ['Dome'] });
    expect(whereOf('resident', [])).toEqual({ house: true });
  });
  it('ends with the day that was chosen', () => {
    expect(endOf('')).toBeUndefined();
    expect(new Date(endOf('2026-03-01') ?? '').getTime()).toBe(new Date('2026-03-02T00:00:00').getTime());
  });
});
