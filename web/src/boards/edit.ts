import type { Board, SectionText, TileText } from '../api/client';

// Draft is a board while it is edited: sections and tiles with ids of their own, so that both can be moved.
export type Draft = { id: string; title: string; tiles: DraftTile[] }[];
export type DraftTile = TileText & { id: string; name: string };

// History is what was, is, and was taken back.
export type History = { past: Draft[]; now: Draft; future: Draft[] };

// most is how many changes can be undone.
const most = 100;

export const draftOf = (board: Board): Draft =>
  board.sections.map((s, n) => ({
    id: `section-${n}`,
    title: s.title ?? '',
    tiles: s.tiles.map((t) => ({
      id: t.id,
      kind: t.kind,
      of: t.of,
      title: t.title,
      size: t.size,
      text: t.text,
      name: t.name || t.text || '',
    })),
  }));

// added are new ids: the service gives its own to what is saved.
let added = 0;
export const newID = () => `new-${++added}`;

// sectionsOf is a draft as it is saved. New tiles get their ids from the service.
export const sectionsOf = (draft: Draft): SectionText[] =>
  draft.map((s) => ({
    ...(s.title && { title: s.title }),
    tiles: s.tiles.map(({ id, kind, of, title, size, text }) => ({
      ...(!id.startsWith('new-') && { id }),
      kind,
      ...(of && { of }),
      ...(title && { title }),
      ...(size && { size }),
      ...(text && { text }),
    })),
  }));

export const begin = (now: Draft): History => ({ past: [], now, future: [] });

export const change = (h: History, now: Draft): History =>
  now === h.now ? h : { past: [...h.past, h.now].slice(-most), now, future: [] };

export function undo(h: History): History {
  const was = h.past.at(-1);
  return was ? { past: h.past.slice(0, -1), now: was, future: [h.now, ...h.future] } : h;
}

export function redo(h: History): History {
  const [next, ...future] = h.future;
  return next ? { past: [...h.past, h.now], now: next, future } : h;
}

// sectionOf is the place of the section that a tile stands in, or that has the id itself; −1 where there is none.
export const sectionOf = (draft: Draft, id: string) =>
  draft.findIndex((s) => s.id === id || s.tiles.some((t) => t.id === id));

// move puts a tile where another one stands, or at the end of a section.
export function move(draft: Draft, id: string, to: string): Draft {
  const [from, into] = [sectionOf(draft, id), sectionOf(draft, to)];
  const tile = draft[from]?.tiles.find((t) => t.id === id);
  if (!tile || into < 0 || id === to) return draft;
  const place = draft[into]?.tiles.findIndex((t) => t.id === to) ?? -1;
  const was = draft[from]?.tiles.indexOf(tile) ?? -1;
  return draft.map((s, n) => {
    if (n !== from && n !== into) return s;
    const tiles = s.tiles.filter((t) => t.id !== id);
    if (n === into) tiles.splice(place < 0 ? tiles.length : Math.min(place, tiles.length), 0, tile);
    return from === into && place === was ? s : { ...s, tiles };
  });
}

// step moves a tile one place on or back, over the ends of its section.
export function step(draft: Draft, id: string, by: 1 | -1): Draft {
  const from = sectionOf(draft, id);
  const tiles = draft[from]?.tiles ?? [];
  const next = tiles[tiles.findIndex((t) => t.id === id) + by];
  if (next) return move(draft, id, next.id);
  const section = draft[from + by];
  if (!section) return draft;
  const [first] = section.tiles;
  return move(draft, id, by > 0 && first ? first.id : section.id);
}

export const put = (draft: Draft, id: string, what: Partial<DraftTile>): Draft =>
  draft.map((s) => ({ ...s, tiles: s.tiles.map((t) => (t.id === id ? { ...t, ...what } : t)) }));

export const remove = (draft: Draft, id: string): Draft =>
  draft.map((s) => ({ ...s, tiles: s.tiles.filter((t) => t.id !== id) }));

// add puts a tile at the end of the last section, which is made where there is none.
export function add(draft: Draft, tile: DraftTile): Draft {
  const all = draft.length ? draft : [{ id: newID(), title: '', tiles: [] }];
  return all.map((s, n) => (n === all.length - 1 ? { ...s, tiles: [...s.tiles, tile] } : s));
}
