import { useEffect, useRef, useState } from 'react';
import { useNavigate, useParams } from 'react-router';
import { words } from '../app/words';
import { Page } from './BoardPage';
import './board.css';
import { useBoard, useBoardState } from './queries';
import { dimmed } from './wall';

// leave is how long in ms the name of the board is held to leave the wall, and bright how long a touch keeps it bright.
const leave = 1500;
const bright = 30_000;

// WallPage is a board on a tablet on the wall: nothing but its tiles, in figures that are read from two metres. It stays
// awake where the browser can, and is darker at night.
export default function WallPage() {
  const { slug = '' } = useParams();
  const board = useBoard(slug);
  const state = useBoardState(slug);
  const navigate = useNavigate();
  const timer = useRef<number>(undefined);
  const dark = useNight();
  const awake = useAwake();
  useEffect(() => {
    const root = document.documentElement;
    const before = root.style.fontSize;
    root.style.fontSize = 'clamp(100%, 2.1vmin, 200%)';
    return () => {
      root.style.fontSize = before;
    };
  }, []);
  if (!board.data) return null;
  const stop = () => window.clearTimeout(timer.current);
  const out = () => void navigate(`/boards/${slug}`);
  return (
    <div className="board wall" style={dark ? { filter: 'brightness(0.45)' } : undefined}>
      <button
        type="button"
        className="press wall-name"
        title={words.boards.leaveWall}
        onPointerDown={() => {
          timer.current = window.setTimeout(out, leave);
        }}
        onPointerUp={stop}
        onPointerLeave={stop}
        onKeyDown={(e) => e.key === 'Escape' && out()}
      >
        {board.data.name}
      </button>
      {!awake && <span className="tile-hint">{words.boards.notAwake}</span>}
      <Page board={board.data} state={state.data} />
    </div>
  );
}

// useAwake keeps the screen on while the page is seen. It says whether the browser can.
function useAwake(): boolean {
  const can = 'wakeLock' in navigator;
  useEffect(() => {
    if (!can) return;
    let lock: WakeLockSentinel | undefined;
    const ask = () => {
      if (document.visibilityState !== 'visible') return;
      navigator.wakeLock
        .request('screen')
        .then((l) => (lock = l))
        .catch(() => undefined); // its battery is low: it is asked again when the page is seen again
    };
    ask();
    document.addEventListener('visibilitychange', ask);
    return () => {
      document.removeEventListener('visibilitychange', ask);
      void lock?.release();
    };
  }, [can]);
  return can;
}

// useNight says whether the wall is dark now: at night, unless somebody touched it just now.
function useNight(): boolean {
  const [dark, setDark] = useState(() => dimmed(new Date()));
  useEffect(() => {
    let touched = 0;
    const look = () => setDark(dimmed(new Date()) && Date.now() - touched > bright);
    const touch = () => {
      touched = Date.now();
      look();
    };
    const tick = window.setInterval(look, 10_000);
    window.addEventListener('pointerdown', touch);
    return () => {
      window.clearInterval(tick);
      window.removeEventListener('pointerdown', touch);
    };
  }, []);
  return dark;
}
