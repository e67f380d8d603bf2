import type { Audition, AuditionStep } from '../api/client';

// isOver says whether nothing is asked or played any more.
export const isOver = (a: Audition): boolean => ['found', 'nothing', 'ended'].includes(a.phase);

type Step = AuditionStep['do'];

// steps are the answers that make sense in a phase; the first ones are the big buttons.
export function steps(a: Audition): { big: Step[]; small: Step[] } {
  const resume: Step[] = a.paused ? ['resume'] : [];
  switch (a.phase) {
    case 'playing':
      if (a.asks) return { big: ['yes', 'no'], small: ['again', 'finish'] }; // all were played
      return { big: ['reacted'], small: [a.paused ? 'resume' : 'pause', 'again', 'finish'] };
    case 'confirming':
      return { big: ['yes', 'no', 'unsure'], small: [a.paused ? 'resume' : 'again', 'finish'] };
    case 'walking':
      if (!a.key) return { big: ['yes', 'no', 'unsure'], small: ['back', ...resume, 'finish'] }; // is it on?
      return {
        big: ['yes', 'no', 'unsure'],
        small: ['again', 'another', 'switch', 'skip', 'back', ...resume, 'finish'],
      };
  }
  return { big: [], small: a.best || (a.trouble && a.phase === 'found') ? ['keep'] : [] };
}

// ready says whether a step can be taken now: questions are answered once what they ask about was played.
export const ready = (a: Audition, step: Step): boolean =>
  step === 'yes' || step === 'no' || step === 'unsure' ? a.asks : step !== 'reacted' || a.played > 0;
