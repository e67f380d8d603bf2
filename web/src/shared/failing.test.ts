import { describe, expect, it } from 'vitest';
import { failing } from './failing';

const failed = (text: string, submittedAt?: number) => ({ error: new Error(text), submittedAt });

describe('failing', () => {
  it('is the last thing that was tried, where that failed', () => {
    expect(failing([failed('old', 1), failed('new', 2)])?.error?.message).toBe('new');
    expect(failing([failed('new', 2), failed('old', 1)])?.error?.message).toBe('new');
  });
  it('is nothing when something later went well', () => {
    expect(failing([failed('old', 1), { error: null, submittedAt: 2 }])).toBeUndefined();
    expect(failing([{ error: null, submittedAt: 0 }])).toBeUndefined();
  });
  it('is what cannot be read, whatever was tried', () => {
    expect(failing([failed('tried', 5), failed('cannot be read')])?.error?.message).toBe('cannot be read');
  });
});
