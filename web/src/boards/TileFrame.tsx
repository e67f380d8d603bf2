import './board.css';
import { useRef, type ReactNode } from 'react';
import { words } from '../app/words';

// long is how long in ms a tile is held until its details open.
const long = 600;

// TileFrame is what is around a face. Its details are one long press, the context key or its i away.
export function TileFrame({
  name,
  className,
  onMore,
  children,
}: {
  name: string;
  className: string;
  onMore?: () => void; // left out where there is nothing more to see
  children: ReactNode;
}) {
  const timer = useRef<number>(undefined);
  const stop = () => window.clearTimeout(timer.current);
  return (
    <div
      className={`tile ${className}`}
      onContextMenu={(e) => {
        if (!onMore) return;
        e.preventDefault();
        onMore();
      }}
      onPointerDown={() => {
        if (onMore) timer.current = window.setTimeout(onMore, long);
      }}
      onPointerUp={stop}
      onPointerMove={(e) => (Math.abs(e.movementX) + Math.abs(e.movementY) > 6 ? stop() : undefined)}
      onPointerLeave={stop}
      onPointerCancel={stop}
    >
      {onMore && (
        <button type="button" className="tile-more" aria-label={words.boards.details(name)} onClick={onMore}>
          i
        </button>
      )}
      {children}
    </div>
  );
}
