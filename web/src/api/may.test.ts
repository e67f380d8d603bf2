import { describe, expect, it } from 'vitest';
import { may } from './may';

describe('may', () => {
  const visitor = { rights: ['see', 'use'], where: { rooms: ['Lecture room'] } };
  const owner = { rights: ['see', 'use', 'tell', 'arrange', 'teach', 'keep'], where: { house: true } };
  it('shows a visitor what is in reach, and nothing of the whole house', () => {
    expect(may(visitor, 'use')).toBe(true);
    expect(may(visitor, 'see', true)).toBe(false);
    expect(may(visitor, 'teach')).toBe(false);
  });
  it('shows an owner everything, and nobody nothing', () => {
    expect(may(owner, 'keep', true)).toBe(true);
    expect(may(undefined, 'see')).toBe(false);
  });
});
