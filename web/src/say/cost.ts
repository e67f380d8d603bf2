import type { Understood } from '../api/client';
import { words } from '../app/words';

// takes is a time for people.
export function takes(ms: number): string {
  const seconds = Math.round(ms / 1000);
  if (seconds < 1) return 'less than a second';
  if (seconds < 120) return `${seconds} s`;
  const minutes = Math.round(seconds / 60);
  if (minutes < 120) return `${minutes} min`;
  return `${Math.floor(minutes / 60)} h ${minutes % 60} min`;
}

// costOf is what a phrase costs, in words; '' where that is not known before.
export function costOf(u: Understood): string {
  if (u.does === 'cue' || u.does === 'errand') return words.say.setsOff;
  if (u.presses === 0 && u.takes_ms < 1000) return words.say.nothing;
  return words.say.cost(u.presses, takes(u.takes_ms));
}
