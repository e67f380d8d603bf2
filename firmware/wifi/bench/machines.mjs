// What the state machines of pio.py do, in real time: the words for keyed and plain as durations, what ear hears as
// words. That the programs do this is tried in emulate.mjs, instruction by instruction.
export function machines(board) {
  const all = new Map(); // by number
  return {
    sm_taken: (number) => all.has(number),
    sm_init: (number, pin, freq, carrier) => {
      all.set(number, { pin, freq, carrier, starts: [], words: [], over: 0 });
    },
    // the pin is driven by the program: the state machine has to begin anew to have it back
    sm_loses: (pin) => {
      for (const m of all.values()) if (m.pin === pin) m.lost = true;
    },
    sm_put: (number, hex) => {
      const m = all.get(number);
      if (m.lost) return; // the pin does not follow it
      const word = parseInt(hex, 16);
      const [low, pairs] = [word & 0xffff, word >>> 16];
      const us = (clocks) => (clocks * 1e6) / m.freq;
      const mark = low === 0 ? 0 : m.carrier ? us((low + 1) * m.carrier) : us(2 * low + 3);
      const space = us(2 * pairs + 3 + (m.carrier && low ? 2 : 2));
      m.starts.push(Math.max(m.over, board.now()));
      if (mark > 0) m.over = board.play(m.pin, [mark, space], [1, 0], m.carrier ? m.freq / m.carrier : 0);
      else m.over = board.rests(m.pin, space);
    },
    sm_backlog: (number) => {
      const m = all.get(number);
      m.starts = m.starts.filter((at) => at > board.now());
      return m.starts.length;
    },
    sm_irq: (number, handler) => {
      const m = all.get(number);
      const word = (us) => (0xffffffff - Math.round((us - 4) / 2)).toString(16);
      board.ears.set(m.pin, (train) => {
        for (const us of [1e6, ...train]) {
          m.words.push(word(us));
          handler();
        }
      });
      board.inputs.set(m.pin, { level: 1, handler: null });
    },
    sm_waiting: (number) => all.get(number).words.length,
    sm_get: (number) => all.get(number).words.shift(),
  };
}
