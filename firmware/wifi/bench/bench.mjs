// The bench: a board's files in a real MicroPython, on a virtual board. usage: node bench.mjs FOLDER [OPTIONS as JSON]
// It tells what the board sends as lines of JSON, and takes orders as lines of JSON: {"hear": PIN, "train": [µs, …]},
// {"wifi": false}, {"cut": true} (all connections), {"end": true}.
import fs from 'node:fs';
import path from 'node:path';
import readline from 'node:readline';
import { loadMicroPython } from '@micropython/micropython-webassembly-pyscript';
import { Board } from './board.mjs';
import { machines } from './machines.mjs';

const here = import.meta.dirname;
const [folder, text = '{}'] = process.argv.slice(2);
const options = JSON.parse(text);
const tell = (what) => process.stdout.write(JSON.stringify(what) + '\n');
const board = new Board({ ...options, tell });
for (const [out, input] of Object.entries(options.loop ?? {})) board.loops.set(Number(out), input);

const python = await loadMicroPython({
  heapsize: options.heap ?? 192 * 1024,
  linebuffer: true,
  stdout: (line) => tell({ says: line }),
});
python.registerJsModule('board', { ...board.module(), ...machines(board) });
for (const folderOf of [path.join(here, 'stubs'), folder])
  for (const name of fs.readdirSync(folderOf))
    if (name.endsWith('.py')) python.FS.writeFile('/' + name, fs.readFileSync(path.join(folderOf, name), 'utf8'));
python.runPython(`
import sys
sys.path.insert(0, '/')
import clock
sys.modules['time'] = clock
import asyncio
asyncio.run = asyncio.create_task
import os, random
os.urandom = lambda n: bytes(random.getrandbits(8) for _ in range(n))  # boards have it
`);
if (options.measure) {
  // what compiling each file takes at its peak, and what all of it keeps
  python.runPython(`
import gc, board
gc.collect()
`);
}
if (options.run) python.runPython(options.run);
else python.runPython(fs.readFileSync(path.join(folder, 'main.py'), 'utf8'));

const looking = setInterval(() => {
  board.look();
  if (board.dog && board.now() - board.fed > board.dog) {
    tell({ died: 'the watchdog was not fed' });
    process.exit(3);
  }
}, 20);
tell({ runs: true });
readline.createInterface({ input: process.stdin }).on('line', (line) => {
  const order = JSON.parse(line);
  if (order.hear !== undefined) board.hear(order.hear, order.train);
  if (order.wifi !== undefined) board.wifi = order.wifi;
  if (order.wifi === false || order.cut) for (const s of board.sockets.values()) s.tcp.destroy();
  if (order.end) {
    clearInterval(looking);
    process.exit(0);
  }
}).on('close', () => process.exit(0));
