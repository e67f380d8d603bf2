// Piece is a part of a sentence: light words hold it together, strong ones say what it is about.
export type Piece = { text: string; weight: 'light' | 'plain' | 'strong' };

const light =
  /^(when|while|only|if|do|afterwards|then|and|or|not|for|back|to|from|until|by|give|take|on|within|at|else|set|most|missed|unknown|doubtful|busy|is|may|be)$/;

// pieces parts an errand as it is printed, without its name, into words of different weight.
export function pieces(text: string): Piece[] {
  const rest = text.replace(/^errand \S+\s+/, '').replace(/\s*\n\s*/g, ' ');
  const out: Piece[] = [];
  for (const part of rest.match(/"(?:[^"\\]|\\.)*"|\s+|[^\s]+/g) ?? []) {
    const bare = part.replace(/[(),;]/g, '');
    const weight = /^\s+$/.test(part)
      ? (out.at(-1)?.weight ?? 'plain')
      : bare.includes('/') || /^(dusk|dawn|sunset|sunrise|noon)$/.test(bare) || bare.startsWith('"')
        ? 'strong'
        : light.test(bare)
          ? 'light'
          : 'plain';
    const last = out.at(-1);
    if (last?.weight === weight) last.text += part;
    else out.push({ text: part, weight });
  }
  return out;
}
