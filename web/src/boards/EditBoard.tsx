import {
  closestCenter,
  DndContext,
  KeyboardSensor,
  PointerSensor,
  useSensor,
  useSensors,
  type Announcements,
  type DragEndEvent,
} from '@dnd-kit/core';
import {
  rectSortingStrategy,
  SortableContext,
  sortableKeyboardCoordinates,
  useSortable,
} from '@dnd-kit/sortable';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import type { Board } from '../api/client';
import { words } from '../app/words';
import { Note } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { AddTile } from './AddTile';
import './board.css';
import {
  add,
  begin,
  change,
  draftOf,
  move,
  newID,
  put,
  redo,
  remove,
  sectionsOf,
  step,
  undo,
  type Draft,
  type DraftTile,
} from './edit';
import { useAddBoard, useBoard, useChangeBoard, useRemoveBoard } from './queries';

// EditBoard is a board while it is edited: by dragging, by keyboard, with undo and redo. Nothing is saved over what
// somebody else changed meanwhile without asking.
export default function EditBoard({ board, onDone }: { board: Board; onDone: () => void }) {
  const [version, setVersion] = useState(board.version);
  const [name, setName] = useState(board.name);
  const [history, setHistory] = useState(() => begin(draftOf(board)));
  const now = useBoard(board.slug);
  const save = useChangeBoard(board.slug);
  const create = useAddBoard();
  const drop = useRemoveBoard();
  const navigate = useNavigate();
  const [sure, setSure] = useState(false);
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 6 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  const draft = history.now;
  const to = (next: Draft) => setHistory((h) => change(h, next));
  const called = (id: unknown) =>
    draft.flatMap((s) => s.tiles).find((t) => t.id === id)?.name ?? words.boards.section;
  const announce: Announcements = {
    onDragStart: ({ active }) => words.boards.picked(called(active.id)),
    onDragOver: ({ active, over }) =>
      over ? words.boards.over(called(active.id), called(over.id)) : undefined,
    onDragEnd: ({ active, over }) => words.boards.dropped(called(active.id), called(over?.id)),
    onDragCancel: ({ active }) => words.boards.putBack(called(active.id)),
  };
  const end = ({ active, over }: DragEndEvent) => {
    if (over) to(move(draft, String(active.id), String(over.id)));
  };
  const other = now.data && now.data.version !== version;
  const keep = (over: number) =>
    save.mutate(
      {
        sections: sectionsOf(draft),
        version: over,
        ...(name !== board.name && name.trim() && { name: name.trim() }),
      },
      { onSuccess: onDone },
    );
  return (
    <div className="board">
      <div className="board-head">
        <TextField
          label={words.boards.name}
          value={name}
          onChange={(e) => setName(e.target.value)}
          slotProps={{ htmlInput: { maxLength: 80 } }}
          sx={{ maxWidth: 320 }}
        />
        <Button variant="contained" disabled={save.isPending || other} onClick={() => keep(version)}>
          {words.boards.save}
        </Button>
        <Button disabled={!history.past.length} onClick={() => setHistory(undo)}>
          {words.boards.undo}
        </Button>
        <Button disabled={!history.future.length} onClick={() => setHistory(redo)}>
          {words.boards.redo}
        </Button>
        <Button onClick={onDone}>{words.devices.cancel}</Button>
      </div>
      {board.automatic && <Note>{words.boards.automatic}</Note>}
      {other && (
        <div className="ask" role="alert" style={{ padding: '0.5rem 0' }}>
          <span>{words.boards.changed}</span>
          <button
            type="button"
            className="square text belief"
            onClick={() => {
              if (!now.data) return;
              setHistory((h) => change(h, draftOf(now.data)));
              setVersion(now.data.version);
            }}
          >
            {words.boards.takeTheirs}
          </button>
          <button
            type="button"
            className="square text belief"
            onClick={() => now.data && keep(now.data.version)}
          >
            {words.boards.keepMine}
          </button>
        </div>
      )}
      {save.error && !other && <Note alert>{save.error.message}</Note>}
      <DndContext
        sensors={sensors}
        collisionDetection={closestCenter}
        onDragEnd={end}
        accessibility={{
          announcements: announce,
          screenReaderInstructions: { draggable: words.boards.how },
        }}
      >
        {draft.map((s, n) => (
          <section key={s.id} className="board-section" aria-label={s.title || words.boards.section}>
            <div className="row">
              <TextField
                label={words.boards.sectionTitle}
                value={s.title}
                sx={{ maxWidth: 280 }}
                slotProps={{ htmlInput: { maxLength: 80 } }}
                onChange={(e) => to(draft.map((o) => (o === s ? { ...o, title: e.target.value } : o)))}
              />
              <Button
                disabled={n === 0}
                aria-label={words.boards.sectionUp(s.title)}
                onClick={() => to(draft.with(n, draft[n - 1] ?? s).with(n - 1, s))}
              >
                ↑
              </Button>
              <Button
                disabled={s.tiles.length > 0}
                onClick={() => to(draft.filter((o) => o !== s))}
                aria-label={words.boards.removeSection(s.title)}
              >
                {words.boards.remove}
              </Button>
            </div>
            <SortableContext items={s.tiles.map((t) => t.id)} strategy={rectSortingStrategy}>
              <div className="tiles" style={{ marginTop: '0.5rem' }}>
                {s.tiles.map((t) => (
                  <EditTile
                    key={t.id}
                    tile={t}
                    onChange={(what) => to(put(draft, t.id, what))}
                    onStep={(by) => to(step(draft, t.id, by))}
                    onRemove={() => to(remove(draft, t.id))}
                  />
                ))}
              </div>
            </SortableContext>
          </section>
        ))}
      </DndContext>
      <div className="row">
        <Button variant="outlined" onClick={() => to([...draft, { id: newID(), title: '', tiles: [] }])}>
          {words.boards.addSection}
        </Button>
        <Button
          variant="outlined"
          disabled={create.isPending}
          onClick={() =>
            create.mutate(
              { name: words.boards.copyOf(board.name), sections: sectionsOf(draft) },
              { onSuccess: (b) => (onDone(), void navigate(`/boards/${b.slug}`)) },
            )
          }
        >
          {words.boards.copy}
        </Button>
        <Button
          onClick={() =>
            sure
              ? drop.mutate(board.slug, { onSuccess: () => (onDone(), void navigate('/boards')) })
              : setSure(true)
          }
        >
          {sure ? words.boards.sure : words.boards.removeBoard}
        </Button>
      </div>
      <Failed of={[create]} />
      <Failed of={[drop]} />
      <AddTile onAdd={(t) => to(add(draft, t))} />
    </div>
  );
}

// EditTile is a tile while its board is edited: it is dragged, or moved with its arrows.
function EditTile({
  tile,
  onChange,
  onStep,
  onRemove,
}: {
  tile: DraftTile;
  onChange: (what: Partial<DraftTile>) => void;
  onStep: (by: 1 | -1) => void;
  onRemove: () => void;
}) {
  const { attributes, listeners, setNodeRef, transform, transition, isDragging } = useSortable({
    id: tile.id,
  });
  const name = tile.title ?? tile.name;
  return (
    <div
      ref={setNodeRef}
      className={`tile edit ${tile.size ?? 'small'}`}
      style={{
        transform: transform ? `translate(${transform.x}px, ${transform.y}px)` : undefined,
        transition,
        opacity: isDragging ? 0.6 : 1,
        zIndex: isDragging ? 2 : undefined,
      }}
    >
      <button
        type="button"
        className="press tile-name"
        style={{ cursor: 'grab', touchAction: 'none', minHeight: '3rem', padding: 0 }}
        {...attributes}
        {...listeners}
        aria-label={words.boards.drag(name)}
      >
        {name}
      </button>
      <input
        className="press"
        style={{ borderBottom: '1px solid var(--line)', minHeight: '2.4rem', cursor: 'text', width: '100%' }}
        aria-label={tile.text === undefined ? words.boards.titleOf(name) : words.boards.textOf(name)}
        placeholder={tile.name}
        maxLength={tile.text === undefined ? 80 : 500}
        value={tile.text ?? tile.title ?? ''}
        onChange={(e) =>
          onChange(
            tile.text === undefined ? { title: e.target.value || undefined } : { text: e.target.value },
          )
        }
      />
      <select
        aria-label={words.boards.sizeOf(name)}
        value={tile.size ?? ''}
        onChange={(e) => onChange({ size: (e.target.value || undefined) as DraftTile['size'] })}
      >
        <option value="">{words.boards.usual}</option>
        {(['small', 'wide', 'large'] as const).map((s) => (
          <option key={s} value={s}>
            {words.boards.sizes[s]}
          </option>
        ))}
      </select>
      <div className="row" style={{ gap: '0.4rem' }}>
        <button
          type="button"
          className="square"
          aria-label={words.boards.earlier(name)}
          onClick={() => onStep(-1)}
        >
          ←
        </button>
        <button
          type="button"
          className="square"
          aria-label={words.boards.later(name)}
          onClick={() => onStep(1)}
        >
          →
        </button>
        <button type="button" className="square" aria-label={words.boards.removeOf(name)} onClick={onRemove}>
          ×
        </button>
      </div>
    </div>
  );
}
