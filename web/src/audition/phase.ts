import type { Audition } from '../api/client';

// isOver says whether nothing is asked or played any more.
export const isOver = (a: Audition): boolean => ['found', 'nothing', 'ended'].includes(a.phase);
