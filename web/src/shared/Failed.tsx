import { useEffect, useRef } from 'react';
import { useCauseLeft } from '../api/cause';
import { Note } from './Panel';
import { failing, type Tried } from './failing';

// Failed says in one place what went wrong with the last thing that was tried there. It leaves when something else is
// tried or typed, and when what may have been its cause leaves: a station is back, the service answers again.
export function Failed({ of }: { of: Tried[] }) {
  const failed = failing(of);
  const reset = failed?.reset;
  const mark = useRef<HTMLDivElement>(null);
  const latest = useRef(reset);
  useEffect(() => {
    latest.current = reset;
  });
  useCauseLeft(() => latest.current?.());
  const shown = failed?.error?.message;
  useEffect(() => {
    const place = mark.current?.closest('form, [role=dialog], section, main');
    const typed = () => latest.current?.();
    place?.addEventListener('input', typed);
    return () => place?.removeEventListener('input', typed);
  }, [shown]);
  if (!shown) return null;
  return (
    <div ref={mark}>
      <Note alert>{shown}</Note>
    </div>
  );
}
