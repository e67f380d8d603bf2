import { describe, expect, it } from 'vitest';
import { applyCapture, applyDevice, applyEntry } from './apply';
import type { Capture, Device, DeviceLine, Entry } from './client';

const device = (slug: string, room: string, name = slug) =>
  ({ slug, room, name, keys: [] }) as unknown as Device;
const row = (slug: string, room: string) => ({ slug, room, name: slug }) as DeviceLine;
const capture = (id: string, stored: boolean) => ({ id, stored }) as Capture;
const entry = (id: string) => ({ id }) as Entry;

describe('events', () => {
  it('puts a device where its room and name belong', () => {
    const list = [row('a', 'Dome'), row('c', 'Outside')];
    expect(applyDevice(list, device('b', 'Lecture room'))?.map((d) => d.slug)).toEqual(['a', 'b', 'c']);
  });
  it('takes a device without a name out', () => {
    expect(applyDevice([row('a', 'Dome')], device('a', '', ''))).toEqual([]);
  });
  it('replaces a capture once it is stored, and keeps new ones on top', () => {
    const list = applyCapture([capture('1', false)], capture('2', false));
    expect(list?.map((c) => c.id)).toEqual(['2', '1']);
    expect(applyCapture(list, capture('1', true))?.map((c) => c.stored)).toEqual([false, true]);
  });
  it('leaves lists alone that were never read', () => {
    expect(applyCapture(undefined, capture('1', false))).toBeUndefined();
  });
  it('shows a journal entry once, newest first', () => {
    const pages = applyEntry([[entry('3'), entry('1')]], entry('2'));
    expect(pages[0]?.map((e) => e.id)).toEqual(['3', '2', '1']);
    expect(applyEntry(pages, entry('2'))).toBe(pages);
  });
});
