// The bench: a board's files in a real MicroPython, on a virtual board. usage: node bench.mjs FOLDER [OPTIONS as JSON]
// It tells what the board sends as lines of JSON, and takes orders as lines of JSON:
// {"hear": PIN, "train": [µs, …]}, {"wifi": false}, {"cut": true} (all connections), {"end": true}.
import fs from 'node:fs';
import path from 'node:path';
import readline from 'node:readline';
import { Board } from './board.mjs';
import { machines } from './machines.mjs';
import { pythonFor } from './python.mjs';

const [folder, text = '{}'] = process.argv.slice(2);
const options = JSON.parse(text);
const tell = (what) => process.stdout.write(JSON.stringify(what) + '\n');
const board = new Board({ ...options, tell });
for (const [out, input] of Object.entries(options.loop ?? {})) board.loops.set(Number(out), input);

const python = await pythonFor(
  folder,
  { ...board.module(), ...machines(board) },
  { heapsize: options.heap ?? 192 * 1024, stdout: (line) => tell({ says: line }) },
);
try {
  python.runPython(fs.readFileSync(path.join(folder, 'main.py'), 'utf8'));
} catch (e) {
  tell({ ended: e.message });
  process.exit(1);
}

const EVERY = 20; // ms
setInterval(() => {
  board.passes(EVERY);
  board.look();
  if (board.dog && board.now() - board.fed > board.dog) {
    tell({ died: 'the watchdog was not fed' });
    process.exit(3);
  }
}, EVERY);
readline
  .createInterface({ input: process.stdin })
  .on('line', (line) => {
    const order = JSON.parse(line);
    if (order.hear !== undefined) board.hear(order.hear, order.train);
    if (order.wifi !== undefined) board.wifi = order.wifi;
    if (order.wifi === false || order.cut) for (const s of board.sockets.values()) s.tcp.destroy();
    if (order.end) process.exit(0);
  })
  .on('close', () => process.exit(0));
