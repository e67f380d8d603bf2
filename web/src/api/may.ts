import { useMe } from './queries';
import type { Me } from './client';

export type Right = 'see' | 'use' | 'tell' | 'arrange' | 'teach' | 'keep';

// may says whether somebody has a right: everywhere, where whole is asked, or anywhere at all.
export function may(me: Pick<Me, 'rights' | 'where'> | undefined, right: Right, whole = false): boolean {
  return (me?.rights.includes(right) ?? false) && (!whole || (me?.where.house ?? false));
}

// useMay is what whoever is signed in may do. What they may not is not shown; the service refuses it in any case.
export function useMay(): (right: Right, whole?: boolean) => boolean {
  const me = useMe();
  return (right, whole) => may(me.data, right, whole);
}
