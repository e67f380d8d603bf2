import type { Hold, Run } from '../api/client';
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
