import type { Capture } from '../api/client';
import { read } from '../shared/text';

// fold gathers captures that came after another and say the same: a key that was pressed again and again. The newest of
// each comes first, as in the list.
export function fold(captures: Capture[]): Capture[][] {
  const out: Capture[][] = [];
  for (const c of captures) {
    const group = out.at(-1);
    const first = group?.[0];
    if (group && first && alike(first) !== '' && alike(first) === alike(c)) group.push(c);
    else out.push([c]);
  }
  return out;
}

// alike is what captures that say the same have in common; "" where nothing is known of what one says.
function alike(c: Capture): string {
  const says = c.readings[0] ? read(c.readings[0]) : c.held;
  return says ? [says, c.station, c.port, c.echo].join(' ') : '';
}
