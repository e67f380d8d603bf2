import { expect, it } from 'vitest';
import type { Audition } from '../api/client';
import { isOver, ready, steps } from './phase';

const audition = (change: Partial<Audition>) =>
  ({ phase: 'playing', paused: false, asks: false, played: 3, kept: [], ...change }) as Audition;

it('asks for one thing at a time', () => {
  expect(steps(audition({}))).toEqual({ big: ['reacted'], small: ['pause', 'again', 'finish'] });
  expect(steps(audition({ phase: 'confirming' })).big).toEqual(['yes', 'no', 'unsure']);
  expect(steps(audition({ asks: true })).big).toEqual(['yes', 'no']); // all were played
  expect(steps(audition({ phase: 'walking' })).small).not.toContain('switch'); // is it on?
  expect(steps(audition({ phase: 'walking', key: 'sweep' })).small).toContain('switch');
  expect(steps(audition({ phase: 'walking', paused: true })).small).toContain('resume');
  expect(steps(audition({ paused: true })).small).toContain('resume');
});

it('offers the best part of a set only where nothing fits whole', () => {
  expect(steps(audition({ phase: 'nothing', best: 'Strand' }))).toEqual({ big: [], small: ['keep'] });
  expect(steps(audition({ phase: 'found', kept: ['power'] })).small).toEqual([]);
  expect(steps(audition({ phase: 'found', kept: ['power'], trouble: 'disk full' })).small).toEqual(['keep']);
  expect(steps(audition({ phase: 'ended' })).small).toEqual([]);
});

it('takes an answer once what it asks about was played', () => {
  expect(ready(audition({ phase: 'walking' }), 'yes')).toBe(false);
  expect(ready(audition({ phase: 'walking', asks: true }), 'yes')).toBe(true);
  expect(ready(audition({ played: 0 }), 'reacted')).toBe(false);
  expect(ready(audition({ played: 1 }), 'reacted')).toBe(true);
  expect(ready(audition({ phase: 'walking' }), 'skip')).toBe(true);
});

it('is over when a set was found, none was, or somebody ended it', () => {
  expect(
    ['playing', 'confirming', 'walking'].map((phase) => isOver(audition({ phase } as Partial<Audition>))),
  ).toEqual([false, false, false]);
  expect(
    ['found', 'nothing', 'ended'].map((phase) => isOver(audition({ phase } as Partial<Audition>))),
  ).toEqual([true, true, true]);
});
