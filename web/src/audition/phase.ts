import type { Audition, AuditionStep } from '../api/client';

// isOver says whether nothing is asked or played any more.
export const isOver = (a: Audition): boolean => ['found', 'nothing', 'ended'].includes(a.phase);

type Step = AuditionStep['do'];

// steps are the answers that make sense in a phase; the first ones are the big buttons.
export function steps(a: Audition): { big: Step[]; small: Step[] } {
  switch (a.phase) {
    case 'playing':
      return { big: ['reacted'], small: [a.paused ? 'resume' : 'pause', 'again', 'finish'] };
    case 'confirming':
      return { big: ['yes', 'no'], small: [a.paused ? 'resume' : 'again', 'finish'] };
    case 'walking':
      return {
        big: ['yes', 'no'],
        small: ['again', 'switch', 'skip', 'back', ...(a.paused ? (['resume'] as const) : []), 'finish'],
      };
  }
  return { big: [], small: a.best || (a.trouble && a.phase === 'found') ? ['keep'] : [] };
}

// ready says whether a step can be taken now: questions are answered once what they ask about was played.
export const ready = (a: Audition, step: Step): boolean =>
  step === 'yes' || step === 'no' ? a.asks : step !== 'reacted' || a.played > 0;
