import { words } from '../app/words';
import { label } from '../shared/text';
import type { Use } from './useUse';

// Said is what came of a tap where that is trouble, or what has to be known first.
export function Said({ use, name }: { use: Use; name: string }) {
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
  if (!use.trouble) return null;
  return (
    <div className="said" role="alert">
      {use.trouble}
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
