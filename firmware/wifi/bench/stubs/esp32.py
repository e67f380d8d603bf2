# The pulse peripheral: it takes a train and plays it by itself.
import board


class RMT:
    # the constructor of MicroPython up to 1.26 (a channel) or later (a resolution), as the bench is told
    def __init__(self, *channel, pin=None, clock_div=None, resolution_hz=None, idle_level=False, tx_carrier=None):
        if board.old() and (not channel or resolution_hz):
            raise TypeError("channel is missing")
        if not board.old() and channel:
            raise TypeError("too many arguments")
        if (clock_div or 80) != 80 or (resolution_hz or 1_000_000) != 1_000_000:
            raise ValueError("the bench counts in us")
        self.number, self.carrier = pin.number, tx_carrier

    def write_pulses(self, durations, levels):
        if max(durations) > 32_767 or min(durations) < 1:
            raise ValueError("a duration is 1 to 32767")
        board.play(self.number, list(durations), [1 if l else 0 for l in levels],
                   self.carrier[0] if self.carrier else 0)

    def wait_done(self, timeout=0):
        return board.played(self.number)

    def deinit(self):
        pass
