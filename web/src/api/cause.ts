import { useEffect, useRef } from 'react';

// What may have been the cause of an error left: a station came or was changed, the service answers again.

const waiting = new Set<() => void>();

// causeLeft tells all who show an error.
export function causeLeft() {
  for (const f of [...waiting]) f();
}

// useCauseLeft calls f whenever that happens.
export function useCauseLeft(f: () => void) {
  const latest = useRef(f);
  useEffect(() => {
    latest.current = f;
  });
  useEffect(() => {
    const call = () => latest.current();
    waiting.add(call);
    return () => {
      waiting.delete(call);
    };
  }, []);
}
