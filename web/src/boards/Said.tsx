import { useEffect, useRef } from 'react';
import type { TileControl } from '../api/client';
import { words } from '../app/words';
import { label } from '../shared/text';
import type { Use } from './useUse';

// alike is how long in ms after a tap what is believed may still change because of it.
const alike = 2000;

// Said is what came of a tap where that is trouble, or what has to be known first. It leaves when the control comes to
// be believed at something else: somebody said so, or a handset was heard.
export function Said({ use, name, is }: { use: Use; name: string; is?: TileControl }) {
  const { trouble, leave } = use;
  const since = useRef(0);
  useEffect(() => {
    since.current = Date.now();
  }, [trouble]);
  useEffect(() => {
    if (Date.now() - since.current > alike) leave();
  }, [is?.value, is?.word, leave]);
  if (use.asks) {
    return (
      <div className="ask" role="group" aria-label={words.boards.askNow(name)}>
        <span>{words.boards.now}</span>
        {use.asks.values.map((v) => (
          <button key={v} type="button" className="square text belief" onClick={() => use.tell(v)}>
            {label(v)}
          </button>
        ))}
      </div>
    );
  }
  if (!trouble) return null;
  return (
    <div className="said" role="alert">
      {trouble}
      <div>
        {use.helps.map((key) => (
          <button key={key} type="button" className="square text" onClick={() => use.press(key)}>
            {words.controls.pressOnce(label(key))}
          </button>
        ))}
        <button type="button" className="square text" onClick={use.again}>
          {words.boards.again}
        </button>
      </div>
    </div>
  );
}
