import { describe, expect, test } from 'vitest';
import { add, begin, change, move, put, redo, remove, sectionsOf, step, undo, type Draft } from './edit';

const tile = (id: string) => ({ id, kind: 'control' as const, of: `${id}/power`, name: id });
const draft: Draft = [
  { id: 's1', title: 'Lecture room', tiles: [tile('a'), tile('b'), tile('c')] },
  { id: 's2', title: 'Outside', tiles: [tile('d')] },
];
const order = (d: Draft) => d.map((s) => s.tiles.map((t) => t.id).join('')).join(' ');

describe('editing a board', () => {
  test('moves tiles within a section, and into another one', () => {
    expect(order(move(draft, 'a', 'c'))).toBe('bca d');
    expect(order(move(draft, 'c', 'a'))).toBe('cab d');
    expect(order(move(draft, 'a', 'd'))).toBe('bc ad');
    expect(order(move(draft, 'a', 's2'))).toBe('bc da');
    expect(move(draft, 'a', 'a')).toBe(draft);
    expect(move(draft, 'x', 'a')).toBe(draft);
  });

  test('steps over the ends of sections, and not over those of the board', () => {
    expect(order(step(draft, 'a', 1))).toBe('bac d');
    expect(order(step(draft, 'c', 1))).toBe('ab cd');
    expect(order(step(draft, 'd', -1))).toBe('abcd ');
    expect(step(draft, 'a', -1)).toBe(draft);
    expect(step(draft, 'd', 1)).toBe(draft);
  });

  test('undoes and redoes, and a new change ends what was undone', () => {
    const h = change(change(begin(draft), remove(draft, 'a')), remove(remove(draft, 'a'), 'b'));
    expect(order(undo(h).now)).toBe('bc d');
    expect(order(undo(undo(h)).now)).toBe('abc d');
    expect(undo(undo(undo(h))).now).toBe(draft);
    expect(order(redo(undo(h)).now)).toBe('c d');
    expect(redo(h)).toBe(h);
    expect(change(undo(h), remove(draft, 'd')).future).toEqual([]);
  });

  test('saves what was given, and leaves the ids of new tiles to the service', () => {
    const made = add(put(draft, 'a', { size: 'wide', title: '' }), { ...tile('new-7'), title: 'Lights' });
    expect(sectionsOf(made)[0]?.tiles[0]).toEqual({ id: 'a', kind: 'control', of: 'a/power', size: 'wide' });
    expect(sectionsOf(made)[1]?.tiles[1]).toEqual({ kind: 'control', of: 'new-7/power', title: 'Lights' });
    expect(add([], tile('a'))).toHaveLength(1);
  });
});
