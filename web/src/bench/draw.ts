import type uPlot from 'uplot';
import { mono } from '../app/theme';
import type { Label } from './trace';

// Row is one signal of a drawing.
export type Row = {
  times: number[]; // edges in µs: a mark, a space, a mark …
  colour: 'received' | 'transmitted' | 'text-primary';
  name?: string;
  labels?: Label[];
  marked?: Label[]; // pieces that are pointed out
};

// narrow is how many pixels a label needs.
const narrow = 9;

// draw paints marks as boxes that stand on a line. Of several signals each has its own line, one below another.
export function draw(u: uPlot, rows: Row[]) {
  const { ctx, bbox } = u;
  const style = getComputedStyle(document.body);
  const dense = window.devicePixelRatio;
  ctx.save();
  ctx.beginPath();
  ctx.rect(bbox.left, bbox.top, bbox.width, bbox.height);
  ctx.clip();
  const room = 18 * dense; // for the labels above
  const lane = bbox.height / rows.length;
  const tall = lane - room - (rows.length > 1 ? 4 * dense : 0);
  const x = (us: number) => Math.round(u.valToPos(us, 'x', true));
  const ends = (r: Row, l: Label): [number, number] => [
    x(r.times[l.from] ?? 0),
    x(r.times[Math.min(l.to, r.times.length - 1)] ?? 0),
  ];
  rows.forEach((r, n) => {
    const top = bbox.top + n * lane;
    const line = top + room + tall;
    ctx.fillStyle = style.getPropertyValue('--mui-palette-line');
    for (const m of r.marked ?? []) {
      const [left, right] = ends(r, m);
      ctx.fillRect(left, top, right - left, room + tall);
    }
    ctx.fillStyle = style.getPropertyValue(`--mui-palette-${r.colour}`);
    for (let i = 0; i + 1 < r.times.length; i += 2) {
      const left = x(r.times[i] ?? 0);
      const right = x(r.times[i + 1] ?? 0);
      if (right < bbox.left || left > bbox.left + bbox.width) continue;
      ctx.fillRect(left, line - tall, Math.max(right - left, 1), tall);
    }
    ctx.fillRect(x(r.times[0] ?? 0), line - dense, x(r.times.at(-1) ?? 0) - x(r.times[0] ?? 0), dense);
    write(ctx, r, (l) => ends(r, l), top + 0.7 * room, style, dense);
    ctx.strokeStyle = style.color;
    ctx.lineWidth = 1.5 * dense;
    for (const m of r.marked ?? []) {
      const [left, right] = ends(r, m);
      ctx.strokeRect(left, top + dense, right - left, room + tall - 2 * dense);
    }
  });
  ctx.restore();
}

// write puts the labels of a signal over their pieces, where there is room.
function write(
  ctx: CanvasRenderingContext2D,
  r: Row,
  ends: (l: Label) => [number, number],
  y: number,
  style: CSSStyleDeclaration,
  dense: number,
) {
  ctx.font = `${12 * dense}px ${mono}`;
  ctx.textAlign = 'center';
  ctx.textBaseline = 'alphabetic';
  ctx.fillStyle = style.color;
  let room = 0;
  for (const l of r.labels ?? []) {
    const [left, right] = ends(l);
    // The last bit of a press may be a mark alone: it has the room of the bit before it.
    room = l.to + 1 < r.times.length ? right - left : Math.max(right - left, room);
    if (room >= Math.max(narrow * dense, ctx.measureText(l.text).width + 2))
      ctx.fillText(l.text, (left + right) / 2, y);
  }
}
