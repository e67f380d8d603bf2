// A virtual board: pins with levels over time, sockets of real TCP, a clock in µs, and what goes wrong on demand.
import net from 'node:net';
import tls from 'node:tls';

const TICKS = 2 ** 30;
const OVER = 120_000; // µs of rest after which what was sent is told
const FRAME = 25_000; // and after which a receiver beside it heard it
const POWERED = Date.UTC(2021, 0, 1); // the date that a board's clock begins with
const BOUNDS = Buffer.from('0603551d1e0101ff', 'hex'); // bounds of an authority, which the TLS of boards refuses

export class Board {
  constructor({ tell, old = false, virtual = 0, start = 0, pins = 30, led = 25 }) {
    Object.assign(this, { tell, old, virtual, pins, led });
    this.zero = process.hrtime.bigint() - BigInt(start) * 1000n;
    this.skew = start; // µs of the virtual clock
    this.outputs = new Map(); // by pin: { level, at, train, hz }
    this.inputs = new Map(); // by pin: { level, handler }
    this.taken = null; // the time that an edge is given at
    this.sockets = new Map();
    this.dialled = 0;
    this.wifi = true;
    this.date = POWERED;
    this.loops = new Map(); // input pin by output pin
    this.ears = new Map(); // state machines that count, by pin
  }

  // now is µs since the start.
  now() {
    if (this.taken !== null) return this.taken;
    if (this.virtual) return this.skew;
    return Number((process.hrtime.bigint() - this.zero) / 1000n);
  }

  // passes lets time pass on the virtual clock, which else goes on only when somebody looks at it.
  passes(ms) {
    this.skew += 1000 * ms;
  }

  // ticks is what ticks_us gives. On the virtual clock each look takes time.
  ticks() {
    if (this.virtual && this.taken === null) this.skew += this.virtual;
    return this.now() % TICKS;
  }

  drive(pin, level, hz) {
    if (pin === this.led || pin === 'LED') return;
    const now = this.now();
    let out = this.outputs.get(pin);
    if (!out) this.outputs.set(pin, (out = { level, at: now, train: [], hz: 0, rest: level }));
    if (level === out.level) return;
    if (out.train.length > 0 || out.level !== out.rest) out.train.push(now - out.at);
    if (hz) out.hz = hz;
    Object.assign(out, { level, at: now });
  }

  // play takes durations that a peripheral plays by itself, behind what it plays already, and gives when they are over.
  play(pin, durations, levels, hz) {
    let out = this.outputs.get(pin);
    if (!out) this.outputs.set(pin, (out = { level: 0, at: 0, train: [], rest: 0 }));
    out.hz = hz;
    let at = Math.max(this.now(), out.over ?? 0);
    for (const [i, d] of durations.entries()) {
      if (levels[i] !== out.level) {
        if (out.train.length > 0 || out.level !== out.rest) out.train.push(at - out.at);
        Object.assign(out, { level: levels[i], at });
      }
      at += d;
    }
    out.over = at;
    return at;
  }

  // rests makes the silence of a peripheral longer.
  rests(pin, us) {
    const out = this.outputs.get(pin);
    return (out.over += us);
  }

  // look tells of what was sent and is over, and lets receivers beside it hear each frame.
  look() {
    for (const [pin, out] of this.outputs) {
      this.echo(pin, out);
      const over = Math.max(out.at, out.over ?? 0);
      if (out.train.length === 0 || out.level !== out.rest || this.now() - over < OVER) continue;
      const { train, hz } = out;
      Object.assign(out, { train: [], hz: 0, echoed: 0 });
      this.tell({ sent: pin, hz: Math.round(hz), train: train.map(Math.round) });
    }
  }

  // echo lets the receiver beside a transmitter hear what it did not hear yet, once that rests.
  echo(pin, out) {
    const resting = out.level === out.rest && this.now() - out.at >= FRAME;
    const from = out.echoed ?? 0;
    if (!this.loops.has(pin) || !resting || out.train.length <= from) return;
    this.hear(this.loops.get(pin), out.train.slice(from), out.at);
    out.echoed = out.train.length + 1; // and the space after it
  }

  // hear lets a receiver, which is active low, hear a train that ended at a time.
  hear(pin, train, end = this.now()) {
    const total = train.reduce((a, b) => a + b, 0);
    if (this.ears.has(pin)) return this.ears.get(pin)(train);
    const input = this.inputs.get(pin);
    if (!input?.handler) return;
    let at = end - total;
    for (const [i, d] of [0, ...train].entries()) {
      at += d;
      input.level = i % 2;
      this.taken = at;
      input.handler();
    }
    this.taken = null;
  }

  watch(timeout) {
    this.dog = timeout * 1000;
    this.fed = this.now();
  }

  feed() {
    this.fed = this.now();
  }

  dial(host, port) {
    const number = ++this.dialled;
    this.sockets.set(number, connection(net.connect(port, host)));
    return number;
  }

  // secure speaks TLS on a connection, as boards do: against an authority in DER, or with anybody where that is empty. An
  // error ends the connection.
  secure(number, name, authority) {
    const plain = this.sockets.get(number).tcp;
    plain.removeAllListeners();
    plain.on('error', () => {});
    const bound = authority.includes(BOUNDS);
    const check = authority.length > 0 && {
      servername: net.isIP(name) ? '' : name,
      ca: `-----BEGIN CERTIFICATE-----\n${authority.toString('base64')}\n-----END CERTIFICATE-----`,
      checkServerIdentity: (_, certificate) =>
        bound || Date.parse(certificate.valid_from) > this.date
          ? new Error('not valid')
          : tls.checkServerIdentity(name, certificate),
    };
    const anybody = { rejectUnauthorized: false };
    this.sockets.set(number, connection(tls.connect({ socket: plain, ...(check || anybody) })));
  }

  // module is what the board's Python sees as the module board.
  module() {
    return {
      has: (pin) => pin === 'LED' || (Number.isInteger(pin) && pin >= 0 && pin < this.pins),
      // Numbers beyond 2³¹ come to Python as negative ones: it gets no times since the start.
      ticks: () => this.ticks(),
      ticks_ms: () => Math.floor(this.now() / 1000) % TICKS,
      level: (pin) => this.inputs.get(pin)?.level ?? this.outputs.get(pin)?.level ?? 0,
      rest: (pin, level) => void this.inputs.set(pin, { level, handler: null }),
      drive: (pin, level, hz) => this.drive(pin, level, hz),
      irq: (pin, handler) => {
        this.inputs.set(pin, { level: this.inputs.get(pin)?.level ?? 0, handler });
      },
      play: (pin, durations, levels, hz) => void this.play(pin, [...durations], [...levels], hz),
      played: (pin) => this.now() >= (this.outputs.get(pin)?.over ?? 0),
      old: () => this.old,
      watch: (timeout) => this.watch(timeout),
      feed: () => this.feed(),
      wifi: () => this.wifi,
      year: () => new Date(this.date).getUTCFullYear(),
      set_date: (...parts) => void (this.date = Date.UTC(...parts)),
      dial: (host, port) => this.dial(host, port),
      secure: (number, name, hex) => this.secure(number, name, Buffer.from(hex, 'hex')),
      send: (number, hex) => {
        const s = this.sockets.get(number);
        if (!s || s.broken || s.ended) return -2;
        s.tcp.write(Buffer.from(hex, 'hex'));
        return hex.length / 2;
      },
      receive: (number, most) => {
        const s = this.sockets.get(number);
        if (!s || s.broken) return 'broken';
        const part = s.data.subarray(0, most);
        s.data = s.data.subarray(part.length);
        return part.length > 0 ? part.toString('hex') : s.ended ? '' : 'wait';
      },
      hang_up: (number) => {
        this.sockets.get(number)?.tcp.destroy();
        this.sockets.delete(number);
      },
    };
  }
}

// connection is a socket, with what it received and nobody took yet.
function connection(tcp) {
  const s = { tcp, data: Buffer.alloc(0), broken: false, ended: false };
  tcp.on('data', (d) => (s.data = Buffer.concat([s.data, d])));
  tcp.on('error', () => (s.broken = true));
  tcp.on('end', () => (s.ended = true));
  tcp.on('close', () => (s.ended = true));
  return s;
}
