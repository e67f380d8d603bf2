// The drawing of a train: filled marks on a time axis, in a box of the given size. Durations in µs, mark first.

// longestShown is where a drawing ends, in µs: later frames of a long press look like the first.
export const longestShown = 150_000;

// shown cuts durations to what is drawn.
export function shown(durations: number[]): number[] {
  const out: number[] = [];
  let at = 0;
  for (const d of durations) {
    if (at + d > longestShown) break;
    out.push(d);
    at += d;
  }
  return out.length > 0 ? out : durations.slice(0, 1);
}

// total is the length of durations in µs.
export const total = (durations: number[]): number => durations.reduce((sum, d) => sum + d, 0);

// outline is the path of the marks, as boxes that stand on the bottom line.
export function outline(durations: number[], width: number, height: number): string {
  const scale = width / Math.max(total(durations), 1);
  let at = 0;
  let path = '';
  durations.forEach((d, i) => {
    if (i % 2 === 0) {
      path += `M${(at * scale).toFixed(2)} ${height}V0h${Math.max(d * scale, 0.5).toFixed(2)}V${height}Z`;
    }
    at += d;
  });
  return path;
}

// ticks are places on the axis, in µs: about as many as asked, at round numbers.
export function ticks(length: number, about: number): number[] {
  const rough = Math.max(length / about, 1);
  const power = 10 ** Math.floor(Math.log10(rough));
  const step = [1, 2, 5, 10].map((n) => n * power).find((n) => n >= rough) ?? rough;
  const out: number[] = [];
  for (let t = 0; t <= length; t += step) out.push(t);
  return out;
}
