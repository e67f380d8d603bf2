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

// useHold tells a tap from a held key: tap is called for a tap, and hold again and again while the key is down; each
// time it is waited for.
export function useHold(tap: () => void, hold?: () => Promise<unknown>): Handlers {
  const timer = useRef<number>(undefined);
  const down = useRef(false);
  const held = useRef(false);
  const up = () => {
    down.current = false;
    window.clearTimeout(timer.current);
  };
  useEffect(() => up, []);
  const go = async () => {
    held.current = true;
    while (down.current) {
      try {
        await hold?.();
      } catch {
        return up(); // it was said where it is shown
      }
    }
  };
  return {
    onPointerDown: () => {
      down.current = true;
      held.current = false;
      if (hold) timer.current = window.setTimeout(() => void go(), after);
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
