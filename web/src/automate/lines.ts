import type { Came, Hold, Run } from '../api/client';
import { words } from '../app/words';
import { clock } from '../shared/text';

// runLine says where a run is, in words.
export function runLine(r: Run): string {
  const at = words.automate.step(r.step, r.steps);
  const until = r.until ? clock(r.until) : '';
  switch (r.phase) {
    case 'queued':
      return words.automate.queued;
    case 'waiting':
      return `${at}: ${r.says ?? ''}, ${words.automate.until(until)}`;
    case 'asking':
      return `${at}: ${words.automate.waitsForWord(until)}`;
    case 'step':
      return `${at}: ${r.says ?? ''}`;
  }
  return r.end === 'done' ? words.automate.done : `${r.end ?? ''}: ${r.reason ?? ''}`;
}

// holdLine says what is held, and what comes after it.
export function holdLine(h: Hold): string {
  if (h.frozen) return words.automate.frozen(h.value);
  switch (h.phase) {
    case 'going back':
      return words.automate.goingBack(h.back);
    case 'owed':
      return words.automate.owed(h.back, h.reason ?? '');
  }
  return words.automate.held(h.value, clock(h.until), h.back);
}

// dueLine is a time on the calendar of the house, as its clocks show it: Sat 2026-12-05 16:32.
export function dueLine(at: string): string {
  const [, date = '', time = ''] = /^(\d+-\d\d-\d\d)T(\d\d:\d\d)/.exec(at) ?? [];
  const day = new Date(`${date}T00:00:00Z`).toLocaleDateString('en', { weekday: 'short', timeZone: 'UTC' });
  return `${day} ${date} ${time}`;
}

// cameLine is what was made of a cue, and why it was not more.
export function cameLine(c: Came): string {
  const did = ['ran', 'ended', 'stretched', 'trial'].includes(c.did);
  const why = did ? [] : c.answers.map((a) => `${a.asked}: ${a.is}`);
  if (c.reason && c.did !== 'trial') why.push(c.reason);
  return [words.errands.did[c.did] ?? c.did, why.join('; ')].filter(Boolean).join(', ');
}

// insert puts a word at the end of a text, in the place of the one that is being typed there.
export function insert(text: string, typed: string, word: string): string {
  const before = text.slice(0, text.length - typed.length);
  return `${before}${before === '' || /\s$/.test(before) ? '' : ' '}${word} `;
}
