import { describe, expect, it } from 'vitest';
import type { Entry } from '../api/client';
import { fold, noFilter, queryOf } from './journal';

const entry = (id: string, kind: string, cause_id?: string) => ({ id, kind, cause_id }) as Entry;

describe('journal', () => {
  it('puts an echo under the press that it belongs to', () => {
    const told = fold([
      entry('4', 'echo', '1'),
      entry('3', 'echo', '0'),
      entry('2', 'heard'),
      entry('1', 'press'),
    ]);
    expect(told.map((e) => e.id)).toEqual(['3', '2', '1']);
    expect(told[2]?.echoes.map((e) => e.id)).toEqual(['4']);
  });
  it('asks for what was chosen, and for a day from midnight to midnight', () => {
    expect(queryOf(noFilter)).toEqual({});
    const q = queryOf({ ...noFilter, by: ' owner ', day: '2026-03-01' });
    expect(q.by).toBe('owner');
    expect(new Date(q.until ?? '').getTime() - new Date(q.since ?? '').getTime()).toBe(24 * 3600 * 1000);
  });
});
