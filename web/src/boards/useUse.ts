import { useState } from 'react';
import type { TileAnswer, TileUse } from '../api/client';
import { words } from '../app/words';
import { useTile } from './queries';

// Use is a tile in use: what is wanted just now, what came of it where that is trouble, and what has to be known first.
export type Use = {
  wanted?: { control: string; value: string };
  busy: boolean;
  trouble?: string;
  asks?: { control: string; values: string[] };
  set: (control: string, value: string) => void; // a value, or "up 1"
  show: (control: string, value: string) => void; // what is shown while it is sent, where that is not what is sent
  press: (key: string) => void;
  run: (how: NonNullable<TileUse['do']>) => void;
  tell: (value: string) => void; // what it is at now; then what was wanted goes on
  again: () => void;
};

// useUse lets a tile be used. What is wanted is shown at once, and is dropped when the last of what was sent is over.
export function useUse(board: string, tile: string): Use {
  const send = useTile(board, tile);
  const [wanted, setWanted] = useState<Use['wanted']>();
  const [last, setLast] = useState<TileUse>();
  const [waiting, setWaiting] = useState(0);
  const [trouble, setTrouble] = useState<string>();
  const [asks, setAsks] = useState<Use['asks']>();
  const over = (answer?: TileAnswer, error?: Error) => {
    setWaiting((n) => {
      if (n === 1) setWanted(undefined);
      return n - 1;
    });
    const ask = answer?.presses ? undefined : answer?.asks?.[0];
    setAsks(ask && { control: ask.control, values: ask.values ?? [] });
    if (error) setTrouble(error.message);
    else if (answer && !answer.done && !answer.run && !ask) setTrouble(answer.reason || words.boards.unsure);
  };
  const go = (body: TileUse) => {
    setTrouble(undefined);
    setAsks(undefined);
    setLast(body);
    setWaiting((n) => n + 1);
    send.mutate(body, { onSuccess: (a) => over(a), onError: (e) => over(undefined, e) });
  };
  return {
    wanted,
    busy: waiting > 0,
    trouble,
    asks,
    show: (control, value) => setWanted({ control, value }),
    set: (control, value) => {
      if (!/^(up|down) \d+$/.test(value)) setWanted({ control, value });
      go({ wants: [{ control, value }], ask: true });
    },
    press: (key) => go({ key }),
    run: (how) => go({ do: how }),
    tell: (value) => go({ ...last, tell: value, ask: false }),
    again: () => last && go(last),
  };
}
