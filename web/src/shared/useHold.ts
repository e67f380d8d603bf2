import { useEffect, useRef } from 'react';

// after is how long in ms a key must be down to be held.
const after = 450;

type Handlers = {
  onPointerDown: () => void;
  onPointerUp: () => void;
  onPointerLeave: () => void;
  onPointerCancel: () => void;
  onClick: () => void;
};

// useHold tells a tap from a held key: tap is called for a tap, and hold once for a held key, with what tells whether it
// is still down.
export function useHold(tap: () => void, hold?: (down: () => boolean) => Promise<unknown>): Handlers {
  const timer = useRef<number>(undefined);
  const down = useRef(false);
  const held = useRef(false);
  const up = () => {
    down.current = false;
    window.clearTimeout(timer.current);
  };
  useEffect(() => up, []);
  const go = () => {
    held.current = true;
    void hold?.(() => down.current).catch(() => undefined); // it was said where it is shown
  };
  return {
    onPointerDown: () => {
      down.current = true;
      held.current = false;
      if (hold) timer.current = window.setTimeout(go, after);
    },
    onPointerUp: up,
    onPointerLeave: up,
    onPointerCancel: up,
    onClick: () => {
      if (!held.current) tap();
      held.current = false;
    },
  };
}
