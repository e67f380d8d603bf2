import type uPlot from 'uplot';
import { mono } from '../app/theme';
import type { Label } from './trace';

// Row is one signal of a drawing.
export type Row = {
  times: number[]; // edges in µs: a mark, a space, a mark …
  colour: 'received' | 'transmitted';
  name?: string;
  labels?: Label[];
};

// narrow is how many pixels a label needs.
const narrow = 9;

// draw paints marks as boxes that stand on a line. Two signals share the line: the first stands on it, the second
// hangs from it.
export function draw(u: uPlot, rows: Row[]) {
  const { ctx, bbox } = u;
  const style = getComputedStyle(document.body);
  const dense = window.devicePixelRatio;
  ctx.save();
  ctx.beginPath();
  ctx.rect(bbox.left, bbox.top, bbox.width, bbox.height);
  ctx.clip();
  const two = rows.length > 1;
  const room = 18 * dense; // for the labels above
  const full = bbox.height - room - (two ? room : 0);
  const line = bbox.top + room + (two ? full / 2 : full);
  const tall = two ? full / 2 - dense : full;
  const x = (us: number) => Math.round(u.valToPos(us, 'x', true));
  rows.forEach((r, n) => {
    ctx.fillStyle = style.getPropertyValue(`--mui-palette-${r.colour}`);
    for (let i = 0; i + 1 < r.times.length; i += 2) {
      const left = x(r.times[i] ?? 0);
      const right = x(r.times[i + 1] ?? 0);
      if (right < bbox.left || left > bbox.left + bbox.width) continue;
      ctx.fillRect(left, n === 0 ? line - tall : line + dense, Math.max(right - left, 1), tall);
    }
    ctx.fillRect(
      x(r.times[0] ?? 0),
      n === 0 ? line - dense : line,
      x(r.times.at(-1) ?? 0) - x(r.times[0] ?? 0),
      dense,
    );
    write(ctx, r, x, n === 0 ? bbox.top + 0.7 * room : line + tall + 0.8 * room, style, dense);
  });
  ctx.restore();
}

// write puts the labels of a signal over their pieces, where there is room.
function write(
  ctx: CanvasRenderingContext2D,
  r: Row,
  x: (us: number) => number,
  y: number,
  style: CSSStyleDeclaration,
  dense: number,
) {
  ctx.font = `${12 * dense}px ${mono}`;
  ctx.textAlign = 'center';
  ctx.textBaseline = 'alphabetic';
  ctx.fillStyle = style.color;
  for (const l of r.labels ?? []) {
    const left = x(r.times[l.from] ?? 0);
    const right = x(r.times[Math.min(l.to, r.times.length - 1)] ?? 0);
    if (right - left >= Math.max(narrow * dense, ctx.measureText(l.text).width + 2))
      ctx.fillText(l.text, (left + right) / 2, y);
  }
}
