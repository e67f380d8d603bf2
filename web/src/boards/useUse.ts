import { useCallback, useState } from 'react';
import type { Ask, TileAnswer, TileUse } from '../api/client';
import { useCauseLeft } from '../api/cause';
import { words } from '../app/words';
import { useSetControls, useTell } from '../controls/queries';
import { usePress } from '../devices/queries';
import { useTile } from './queries';

// Use is a face in use: what is wanted just now, what came of it where that is trouble, and what has to be known first.
export type Use = {
  wanted?: { control: string; value: string };
  busy: boolean;
  trouble?: string;
  helps: string[]; // keys that would help where it is not sure
  asks?: { control: string; values: string[] };
  set: (control: string, value: string) => void; // a value, or "up 1"
  show: (control: string, value: string) => void; // what is shown while it is sent, where that is not what is sent
  press: (key: string) => void;
  run: (how: NonNullable<TileUse['do']>) => void;
  tell: (value: string) => void; // what it is at now; then what was wanted goes on
  again: () => void;
  leave: () => void; // the cause of the trouble is no more
};

// Came is what came of what was sent.
type Came = Pick<TileAnswer, 'done' | 'presses' | 'reason' | 'run'> & { asks?: Ask[]; helps?: string[] };

// useUse lets a tile be used.
export function useUse(board: string, tile: string): Use {
  const send = useTile(board, tile);
  return useSending((body) => send.mutateAsync(body));
}

// useDeviceUse lets the controls of a device be used, for so many seconds where that is given.
export function useDeviceUse(device: string, forS: number): Use {
  const set = useSetControls(device, forS);
  const tell = useTell(device);
  const press = usePress();
  return useSending(async (body, asked) => {
    if (body.key) {
      const p = await press.mutateAsync({ device, key: body.key });
      return { done: p.outcome === 'sent', presses: 1, reason: p.reason };
    }
    if (body.tell && asked) await tell.mutateAsync({ control: asked, value: body.tell });
    const a = await set.mutateAsync(body.wants ?? []);
    const helps = (a.helps ?? []).flatMap((h) => (h.kind === 'press' && h.key ? [h.key] : []));
    const reason = a.reason || a.helps?.map((h) => h.text).join(' ') || '';
    return {
      done: a.done && !a.doubtful,
      presses: a.presses.length,
      reason: a.doubtful ? words.controls.endsDoubtful : reason,
      asks: a.asks,
      helps,
    };
  });
}

// useSending keeps what is wanted while it is sent: it is shown at once, and is dropped when the last of what was sent
// is over. asked is the control of which a told value is.
function useSending(send: (body: TileUse, asked?: string) => Promise<Came>): Use {
  const [wanted, setWanted] = useState<Use['wanted']>();
  const [last, setLast] = useState<TileUse>();
  const [waiting, setWaiting] = useState(0);
  const [trouble, setTrouble] = useState<string>();
  const [helps, setHelps] = useState<string[]>([]);
  const [asks, setAsks] = useState<Use['asks']>();
  const leave = useCallback(() => setTrouble(undefined), []);
  useCauseLeft(leave);
  const over = (answer?: Came, error?: Error) => {
    setWaiting((n) => {
      if (n === 1) setWanted(undefined);
      return n - 1;
    });
    const ask = answer?.presses ? undefined : answer?.asks?.[0];
    setAsks(ask && { control: ask.control, values: ask.values ?? [] });
    setHelps(answer?.helps ?? []);
    if (error) setTrouble(error.message);
    else if (answer && !answer.done && !answer.run && !ask) setTrouble(answer.reason || words.boards.unsure);
  };
  const go = (body: TileUse) => {
    setTrouble(undefined);
    setAsks(undefined);
    setLast(body);
    setWaiting((n) => n + 1);
    send(body, asks?.control).then(over, (e: Error) => over(undefined, e));
  };
  return {
    wanted,
    busy: waiting > 0,
    trouble,
    helps,
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
    leave,
  };
}
