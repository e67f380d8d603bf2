# The state machines: their programs are assembled as MicroPython does, and the bench knows what they do.
import board
import sys


class PIO:
    OUT_LOW, OUT_HIGH, SHIFT_LEFT, SHIFT_RIGHT, JOIN_NONE, JOIN_TX, JOIN_RX = 2, 3, 0, 1, 0, 1, 2


class Program:
    """Instructions, with the delays that follow them in brackets."""

    def __init__(self, name, how):
        self.name, self.how, self.code, self.labels, self.wrap, self.target = name, how, [], {}, 0, 0

    def emit(self, code):
        self.code.append(code)
        return Delay(self)

    def words(self):
        dest = {"pins": 0, "x": 1, "y": 2, "null": 3, "pindirs": 4, "isr": 6}
        source = {"pins": 0, "x": 1, "y": 2, "null": 3, "isr": 6, "osr": 7}
        when = {"not_x": 1, "x_dec": 2, "not_y": 3, "y_dec": 4, "pin": 6}

        def jmp(a, b=None):
            return self.emit((when[a] << 5 if b else 0) | self.labels.get(b or a, 0))

        def mov(d, s):
            invert = isinstance(s, tuple)
            return self.emit(0xA000 | dest[d] << 5 | (8 if invert else 0) | source[s[1] if invert else s])

        words = {
            "wrap_target": lambda: setattr(self, "target", len(self.code)),
            "wrap": lambda: setattr(self, "wrap", len(self.code) - 1),
            "label": lambda name: self.labels.__setitem__(name, len(self.code)),
            "out": lambda d, n: self.emit(0x6000 | dest[d] << 5 | n & 31),
            "set": lambda d, n: self.emit(0xE000 | dest[d] << 5 | n),
            "push": lambda block: self.emit(0x8000),
            "irq": lambda n: self.emit(0xC000 | n),
            "rel": lambda n: n | 0x10,
            "invert": lambda s: ("invert", s),
            "noblock": None,
            "jmp": jmp,
            "mov": mov,
        }
        for name in ("pins", "x", "y", "null", "isr", "osr", "not_x", "x_dec", "not_y", "y_dec", "pin"):
            words[name] = name
        return words


class Delay:
    def __init__(self, program):
        self.program = program

    def __getitem__(self, clocks):
        self.program.code[-1] |= clocks << 8


def asm_pio(**how):
    def assembled(f):
        program = Program(f.__name__, how)
        names = f.__globals__
        kept = dict(names)
        for _ in (1, 2):  # labels are known the second time
            program.code.clear()
            names.clear()
            names.update(program.words())
            f()
        names.clear()
        names.update(kept)
        return program

    return assembled


class StateMachine:
    def __init__(self, number, program, freq=0, set_base=None, in_base=None, jmp_pin=None):
        self.number = number
        if board.sm_taken(number):
            raise ValueError("in use")
        self.init(program, freq, set_base, in_base, jmp_pin)

    def init(self, program, freq=0, set_base=None, in_base=None, jmp_pin=None):
        if len(program.code) > 32:
            raise ValueError("too long")
        self.pin = set_base or jmp_pin
        board.sm_init(self.number, self.pin.number, freq, 12 if program.name == "keyed" else 0)

    def active(self, on):
        pass

    def restart(self):
        pass

    def put(self, word):
        board.sm_put(self.number, "%x" % word)

    def tx_fifo(self):
        return board.sm_backlog(self.number)

    def irq(self, handler):
        board.sm_irq(self.number, lambda: handler(self))

    def rx_fifo(self):
        return board.sm_waiting(self.number)

    def get(self):
        return int(board.sm_get(self.number), 16)
