// What a board's files take of its memory. usage: node memory.mjs FOLDER KIND. It prints as JSON, in bytes, what each
// step keeps, and the least memory in which all of them can be taken: a heap that is smaller grows here, and fails on a
// board.
import { Board } from './board.mjs';
import { machines } from './machines.mjs';
import { pythonFor } from './python.mjs';

const [folder, kind] = process.argv.slice(2);
const STEP = 1024;

const steps = {
  websocket: 'import websocket',
  ports: 'import ports',
  station: 'import station',
  [kind]: `import ${kind}`,
  'a station': `
board = station.Station("garden", "x", "ws://127.0.0.1:1", "t" * 40, [
    {"id": "ir-out", "direction": "transmitter", "medium": "infrared", "pin": 15},
    {"id": "ir-in", "direction": "receiver", "medium": "infrared", "pin": 16}], ${kind}.make)
`,
  '64 ids': `
for i in range(64):
    board.remember("abcdefghij%d" % i)
    board.answers["abcdefghij%d" % i] = (1234567 + i, 67890 + i)
`,
  'a message': `
text = '{"t":"send","id":"a","port":"nowhere","once":[' + ",".join(["1234"] * 512) + "]}"
board.take(text, True)
del text
`,
};

// boardOf is a board with a heap of a size, and what is in it.
async function boardOf(size) {
  const board = new Board({ tell: () => {} });
  let out = '';
  const python = await pythonFor(
    folder,
    { ...board.module(), ...machines(board) },
    { stdout: (line) => (out = line), heapsize: size },
  );
  const memory = () => {
    python.runPython('import gc; gc.collect(); print(gc.mem_alloc(), gc.mem_alloc() + gc.mem_free())');
    const [used, all] = out.split(' ').map(Number);
    return { used, all };
  };
  python.runPython('import machine, network, socket, json, binascii, errno, array, micropython, rp2, esp32');
  return { take: (name) => python.runPython(steps[name]), memory };
}

const kept = {};
const roomy = await boardOf(2 ** 20);
const own = roomy.memory().used; // of the bench
let used = own;
for (const name of Object.keys(steps)) {
  roomy.take(name);
  const now = roomy.memory().used;
  kept[name] = now - used;
  used = now;
}
let [low, high] = [Math.ceil(own / STEP), 200];
while (high - low > 1) {
  const middle = (low + high) >> 1;
  const small = await boardOf(middle * STEP);
  const before = small.memory().all;
  for (const name of Object.keys(steps)) small.take(name);
  if (small.memory().all === before) high = middle;
  else low = middle;
}
const needs = high * STEP - own;
// compiling station.py is what takes most at once, with the two before it kept
console.log(JSON.stringify({ kept, needs, compiling: needs - kept.websocket - kept.ports }));
process.exit(0);
