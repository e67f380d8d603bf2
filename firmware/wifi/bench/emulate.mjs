// The programs of pio.py, instruction by instruction in an emulator. usage: node emulate.mjs FOLDER DURATIONS as JSON
// It prints as JSON what keyed and plain send of the durations, and what ear hears of them, in µs.
import { RP2040 } from 'rp2040js';
import { Board } from './board.mjs';
import { machines } from './machines.mjs';
import { pythonFor } from './python.mjs';

const [folder, text] = process.argv.slice(2);
const durations = JSON.parse(text);
const board = new Board({ tell: () => {} });
const virtual = machines(board);
let out = null;
const python = await pythonFor(folder, { ...board.module(), ...virtual }, { stdout: (line) => (out = line) });
const ask = (program) => {
  python.runPython(program);
  return JSON.parse(out);
};
const programs = ask(`
import json, pio
print(json.dumps({p.name: [p.code, p.target, p.wrap] for p in (pio.keyed, pio.plain, pio.ear)}))
`);

// machineOf is a state machine with a program, whose pin is 0.
function machineOf([code, target, wrap]) {
  const chip = new RP2040();
  const pio = chip.pio[0];
  code.forEach((word, i) => (pio.instructions[i] = word));
  const m = pio.machines[0];
  m.execCtrl = (wrap << 12) | (target << 7); // jmp pin 0
  m.shiftCtrl = (1 << 19) | (1 << 17); // autopull, shift right
  m.pinCtrl = 1 << 26; // one pin for set, from 0
  m.outputShiftCount = 32; // empty
  return { chip, pio, m };
}

const result = {};
for (const [name, medium, hz] of [
  ['keyed', 'True', 38_000 * 12],
  ['plain', 'False', 1_000_000],
]) {
  const words = ask(`
t = pio.Transmitter(${name === 'keyed' ? 15 : 17}, ${medium}, False)
print(json.dumps(list(t.words(${JSON.stringify(durations)}))))
`);
  const { pio, m } = machineOf(programs[name]);
  const edges = []; // clocks of each change
  let level = 0;
  let clock = 0;
  while (true) {
    while (words.length > 0 && !m.txFIFO.full) m.writeFIFO(words.shift() | 0);
    const stalled = m.waiting;
    const before = m.cycles;
    m.step();
    const now = pio.pinValues & 1;
    if (now !== level) edges.push(clock);
    level = now;
    clock += m.cycles - before;
    if (stalled && m.waiting && words.length === 0 && m.txFIFO.empty) break;
  }
  const us = (clocks) => (clocks * 1e6) / hz;
  const got = [];
  if (name === 'plain') for (let i = 1; i < edges.length; i++) got.push(us(edges[i] - edges[i - 1]));
  else {
    let begins = edges[0];
    for (let i = 0; i < edges.length; i += 2) {
      const next = edges[i + 2];
      if (next !== undefined && next - edges[i] <= 13) continue;
      const end = edges[i] + 12;
      got.push(us(end - begins));
      if (next !== undefined) got.push(us(next - end));
      begins = next;
    }
    result.on = (edges[1] - edges[0]) / (edges[2] - edges[0]);
  }
  result[name] = { sent: got, clocks: us(clock) };
}

const { chip, m } = machineOf(programs.ear);
const pin = chip.gpio[0];
pin.padValue |= 1 << 6; // input enable
pin.setInputValue(true);
const words = [];
let next = 1000;
let clock = 0;
const left = [...durations.slice(0, -1), 30_000];
let high = true;
while (left.length > 0 || clock < next) {
  if (clock >= next && left.length > 0) {
    high = !high;
    pin.setInputValue(high);
    next += left.shift();
  }
  const before = m.cycles;
  m.step();
  clock += m.cycles - before;
  while (!m.rxFIFO.empty) words.push((m.readFIFO() >>> 0).toString(16));
}
python.registerJsModule('heard', { next: () => words.shift() ?? '' });
result.ear = ask(`
import heard
class Counted:
    words = []
    def rx_fifo(self): return len(self.words)
    def get(self): return self.words.pop(0)
c = Counted()
word = heard.next()
while word:
    c.words.append(int(word, 16))
    word = heard.next()
r = pio.Receiver(16, True)
r.edge(c)
print(json.dumps([r.ring[i] for i in range(r.head)]))
`);
console.log(JSON.stringify(result));
process.exit(0);
