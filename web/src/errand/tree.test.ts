import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { clockText, dur, print, readClock, readDur, type Errand } from './tree';

// Each production of the grammar, drawn at random and written by the service: what the form writes of the same tree has
// to be the same, to the letter. That the texts mean these trees is tested beside the grammar.
const all = JSON.parse(
  readFileSync(new URL('../../../core/errand/testdata/productions.json', import.meta.url), 'utf8'),
) as { text: string; tree: Errand }[];

describe('print', () => {
  it('writes each production as the service does', () => {
    expect(all.length).toBeGreaterThan(100);
    for (const { text, tree } of all) expect(print(tree)).toBe(text);
  });
});

describe('times', () => {
  it('are read as they are written', () => {
    expect(dur(5_400e9)).toBe('1 h 30 min');
    for (const text of ['1 h 30 min', '250 ms', '2 d', '5 s']) expect(dur(readDur(text) ?? 0)).toBe(text);
    expect(readDur('90s')).toBe(90e9);
    for (const bad of ['', '5', 'h', '5 weeks', '1 h x']) expect(readDur(bad)).toBeNull();
    expect(clockText(readClock('7:05') ?? 0)).toBe('07:05');
    for (const bad of ['', '24:00', '7', '7:60']) expect(readClock(bad)).toBeNull();
  });
});
