// A MicroPython with the board's modules in the place of hardware, and the files of a folder.
import fs from 'node:fs';
import path from 'node:path';
import { loadMicroPython } from '@micropython/micropython-webassembly-pyscript';

export async function pythonFor(folder, board, options) {
  const python = await loadMicroPython({ linebuffer: true, ...options });
  python.registerJsModule('board', board);
  for (const from of [path.join(import.meta.dirname, 'stubs'), folder])
    for (const name of fs.readdirSync(from))
      if (/\.(py|pem)$/.test(name)) python.FS.writeFile('/' + name, fs.readFileSync(path.join(from, name), 'utf8'));
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
  return python;
}
