import { queryClient } from './queries';

// together is how long in ms changes are gathered before anything is asked for again: a pack changes many devices.
const together = 60;

const waiting = new Set<string>();

// stale says that what was read of a resource is old. It is asked for again, at once where it is on screen.
export function stale(resource: readonly [string]) {
  if (waiting.size === 0) {
    window.setTimeout(() => {
      const names = [...waiting];
      waiting.clear();
      void queryClient.invalidateQueries({ predicate: (q) => names.includes(String(q.queryKey[0])) });
    }, together);
  }
  waiting.add(resource[0]);
}
