import { lazy, startTransition, Suspense, useCallback, useEffect, useState } from 'react';
import { Link, Navigate, useParams } from 'react-router';
import type { Board, BoardState, OpenQuestion, Tile } from '../api/client';
import { useMay } from '../api/may';
import { words } from '../app/words';
import { NoReceiver } from '../house/NoReceiver';
import { Note } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { label } from '../shared/text';
import { useTitle } from '../shared/title';
import './board.css';
import { useAnswerQuestion, useBoard, useBoards, useBoardState } from './queries';
import { TileView } from './TileView';

const Details = lazy(() => import('./Details'));
const Sheet = lazy(() => import('./Sheet'));
const EditBoard = lazy(() => import('./EditBoard'));

// lastBoard is where the browser keeps which board was open last.
const lastBoard = 'urbo-board';

// BoardPage is a page of tiles. Without a name in its address it is the one that was open last, or the first.
export default function BoardPage() {
  const { slug = '' } = useParams();
  const boards = useBoards();
  const board = useBoard(slug);
  const state = useBoardState(slug);
  const [editing, setEditing] = useState(false);
  const may = useMay();
  useTitle(board.data?.name ?? '');
  if (boards.error) return <Note alert>{boards.error.message}</Note>;
  if (slug === '') {
    const last = localStorage.getItem(lastBoard);
    const first = boards.data?.find((b) => b.slug === last) ?? boards.data?.[0];
    if (first) return <Navigate to={`/boards/${first.slug}`} replace />;
    if (!boards.data) return null;
    return (
      <>
        <NoReceiver only="none" />
        <Note>{words.boards.none}</Note>
      </>
    );
  }
  if (board.data) localStorage.setItem(lastBoard, slug);
  if (editing && board.data) {
    return (
      <Suspense fallback={null}>
        <EditBoard board={board.data} onDone={() => setEditing(false)} />
      </Suspense>
    );
  }
  return (
    <div className="board">
      <div className="board-head">
        <h1>{board.data?.name ?? boards.data?.find((b) => b.slug === slug)?.name ?? ''}</h1>
        <nav aria-label={words.boards.title}>
          {boards.data
            ?.filter((b) => b.slug !== slug)
            .map((b) => (
              <Link key={b.slug} to={`/boards/${b.slug}`}>
                {b.name}
              </Link>
            ))}
        </nav>
        {board.data && may('see', true) && (
          <Link to={`/wall/${slug}`} className="tile-hint wall-link" style={{ padding: '0.65rem 0.4rem' }}>
            {words.boards.wall}
          </Link>
        )}
        {may('arrange') && board.data && (
          <button type="button" className="square text" onClick={() => setEditing(true)}>
            {words.boards.edit}
          </button>
        )}
      </div>
      <NoReceiver only="none" />
      <Failed of={[board]} />
      {board.data?.error && <Note alert>{board.data.error}</Note>}
      {board.data && <Page key={slug} board={board.data} state={state.data} />}
    </div>
  );
}

// first is how many tiles are drawn at once: more than a screen has. The others follow when these can be seen.
const first = 48;

// firstOf is the sections of a board with its first tiles.
function firstOf(sections: Board['sections']): Board['sections'] {
  let left = first;
  return sections.map((s) => {
    const tiles = s.tiles.slice(0, left);
    left -= tiles.length;
    return { ...s, tiles };
  });
}

// useFirst is the sections of a board with its first tiles, and soon afterwards with all.
function useFirst(board: Board): Board['sections'] {
  const [all, setAll] = useState(false);
  useEffect(() => {
    const frame = requestAnimationFrame(() => setTimeout(() => startTransition(() => setAll(true))));
    return () => cancelAnimationFrame(frame);
  }, []);
  return all ? board.sections : firstOf(board.sections);
}

// Page is the tiles of a board, in their sections.
export function Page({ board, state }: { board: Board; state?: BoardState }) {
  const sections = useFirst(board);
  const [more, setMore] = useState<Tile>();
  const [open, setOpen] = useState<Tile>();
  const onMore = useCallback((t: Tile) => setMore(t), []);
  const onOpen = useCallback((t: Tile) => setOpen(t), []);
  return (
    <>
      <Questions questions={state?.questions ?? []} />
      {board.sections.length === 0 && <Note>{words.boards.empty}</Note>}
      <div className="board-sections">
        {sections.map((s, n) => (
          <section
            key={`${n} ${s.title ?? ''}`}
            className={s.title ? 'board-section' : 'board-section whole'}
            aria-label={s.title ?? words.boards.top}
          >
            {s.title && <h2>{s.title}</h2>}
            <div className={s.tiles.every((t) => t.kind === 'occasion') ? 'tiles occasions' : 'tiles'}>
              {s.tiles.map((t) => (
                <TileView
                  key={t.id}
                  board={board.slug}
                  tile={t}
                  state={state?.tiles[t.id]}
                  onMore={onMore}
                  onOpen={onOpen}
                />
              ))}
            </div>
          </section>
        ))}
      </div>
      <Suspense fallback={null}>
        {more && (
          <Details
            board={board.slug}
            tile={more}
            state={state?.tiles[more.id]}
            onDone={() => setMore(undefined)}
          />
        )}
        {open && (
          <Sheet
            board={board.slug}
            tile={open}
            state={state?.tiles[open.id]}
            onDone={() => setOpen(undefined)}
          />
        )}
      </Suspense>
    </>
  );
}

// Questions are what is asked of people: each has one answer.
function Questions({ questions }: { questions: OpenQuestion[] }) {
  const answer = useAnswerQuestion();
  return (
    <div className="questions" role="status">
      {questions.map((q) => (
        <div key={q.id} className="ask" role="group" aria-label={q.text}>
          <span>{q.text}</span>
          {q.choices.map((v) => (
            <button
              key={v}
              type="button"
              className="square text belief"
              disabled={answer.isPending}
              onClick={() => answer.mutate({ question: q.id, value: v })}
            >
              {label(v)}
            </button>
          ))}
          {q.choices.length === 0 && (
            <NumberAnswer unit={q.unit ?? ''} onSay={(value) => answer.mutate({ question: q.id, value })} />
          )}
        </div>
      ))}
      <Failed of={[answer]} />
    </div>
  );
}

function NumberAnswer({ unit, onSay }: { unit: string; onSay: (value: string) => void }) {
  const [text, setText] = useState('');
  return (
    <form
      style={{ display: 'flex', gap: '0.5rem', alignItems: 'center' }}
      onSubmit={(e) => {
        e.preventDefault();
        if (text) onSay(text);
      }}
    >
      <input
        className="square"
        style={{ width: '6rem', textAlign: 'center' }}
        inputMode="decimal"
        maxLength={10}
        aria-label={words.boards.value}
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      {unit}
      <button type="submit" className="square text belief" disabled={!text}>
        {words.controls.say}
      </button>
    </form>
  );
}
