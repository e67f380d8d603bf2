import { describe, expect, it } from 'vitest';
import { applyCapture, applyNews, applyStored } from './apply';
import type { Capture, Entry } from './client';

const capture = (id: string, stored: boolean) => ({ id, stored }) as Capture;
const entry = (id: string) => ({ id }) as Entry;

describe('events', () => {
  it('replaces a capture once it is stored, and keeps new ones on top', () => {
    const list = applyCapture([capture('1', false)], capture('2', false));
    expect(list?.map((c) => c.id)).toEqual(['2', '1']);
    expect(applyCapture(list, capture('1', true))?.map((c) => c.stored)).toEqual([false, true]);
  });
  it('leaves lists alone that were never read', () => {
    expect(applyCapture(undefined, capture('1', false))).toBeUndefined();
  });
  it('notes a journal entry once, the newest first, and no more than can be looked at', () => {
    const news = applyNews([entry('2'), entry('1')], entry('3'));
    expect(news.map((e) => e.id)).toEqual(['3', '2', '1']);
    expect(applyNews(news, entry('2'))).toBe(news);
    let many: Entry[] = [];
    for (let n = 0; n < 1000; n++) many = applyNews(many, entry(String(n)));
    expect(many.length).toBe(200);
  });
  it('marks captures once they are stored', () => {
    const list = applyStored([capture('2', false), capture('1', false)], ['1']);
    expect(list?.map((c) => c.stored)).toEqual([false, true]);
    expect(applyStored(undefined, ['1'])).toBeUndefined();
  });
});
