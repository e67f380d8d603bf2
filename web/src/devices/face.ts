// The layout of a handset's face: rows of three places, as one would expect for the keys it has.

export type Row = (string | null)[];

const takes = (keys: Set<string>, ...names: string[]): boolean => names.some((n) => keys.has(n));

// face lays keys out: as somebody arranged them, else as one would expect. Every key appears once; null is an empty
// place.
export function face(all: string[], arranged: string[][] = []): Row[] {
  const given = arranged.map((row) =>
    [0, 1, 2].map((i) => (all.includes(row[i] ?? '') ? (row[i] ?? null) : null)),
  );
  const placed = new Set(given.flat());
  const rows = usual(all.filter((k) => !placed.has(k)));
  return [...given, ...rows];
}

// swap exchanges two places of a face.
export function swap(rows: Row[], a: [number, number], b: [number, number]): Row[] {
  const next = rows.map((r) => [...r]);
  const [first, second] = [next[a[0]], next[b[0]]];
  if (!first || !second) return rows;
  [first[a[1]], second[b[1]]] = [second[b[1]] ?? null, first[a[1]] ?? null];
  return next;
}

// stored is a face as it is kept: empty rows at the end are left out.
export function stored(rows: Row[]): string[][] {
  const out = rows.map((r) => r.map((k) => k ?? ''));
  while (out.length > 0 && out[out.length - 1]?.every((k) => k === '')) out.pop();
  return out;
}

function usual(all: string[]): Row[] {
  const keys = new Set(all);
  const rows: Row[] = [];
  const put = (...row: Row) => {
    const real = row.map((k) => (k !== null && keys.has(k) ? k : null));
    if (real.every((k) => k === null)) return;
    real.forEach((k) => k !== null && keys.delete(k));
    rows.push(real);
  };

  if (takes(keys, 'on', 'off')) put('on', null, 'off');
  if (keys.has('power')) put('power', null, keys.has('mute') ? 'mute' : keys.has('sweep') ? 'sweep' : null);
  if (takes(keys, 'left', 'right')) {
    put('menu', 'up', 'source');
    put('left', 'ok', 'right');
    put(null, 'down', null);
  } else if (takes(keys, 'up', 'down')) {
    put(null, 'up', null);
    put(null, 'stop', null);
    put(null, 'down', null);
  }
  if (takes(keys, '1', '2', '3')) {
    put('1', '2', '3');
    put('4', '5', '6');
    put('7', '8', '9');
    put(null, '0', null);
  }
  if (!takes(keys, 'channel-up', 'channel-down')) put('volume-down', 'mute', 'volume-up');
  put('volume-up', null, 'channel-up');
  put('volume-down', 'mute', 'channel-down');
  put('red', 'amber', 'white');
  put('dim', 'breathe', 'brighter');
  const rest = all.filter((k) => keys.has(k));
  for (let i = 0; i < rest.length; i += 3) {
    put(rest[i] ?? null, rest[i + 1] ?? null, rest[i + 2] ?? null);
  }
  return rows;
}
