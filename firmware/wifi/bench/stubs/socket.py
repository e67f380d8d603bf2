# Sockets of real TCP, through the bench.
import binascii
import board
import errno


def getaddrinfo(host, port):
    return [(0, 0, 0, "", (host, port))]


class socket:
    def __init__(self, family=0):
        self.number = 0

    def settimeout(self, seconds):
        pass

    def setblocking(self, on):
        pass

    def connect(self, at):
        if not board.wifi():
            raise OSError(errno.EHOSTUNREACH)
        self.number = board.dial(at[0], at[1])

    def send(self, data):
        n = board.send(self.number, binascii.hexlify(data).decode())
        if n < 0:
            raise OSError(errno.ECONNRESET if n < -1 else errno.EAGAIN)
        return n

    def recv(self, most):
        got = board.receive(self.number, most)
        if got == "wait":
            raise OSError(errno.EAGAIN)
        if got == "broken":
            raise OSError(errno.ECONNRESET)
        return binascii.unhexlify(got)

    def close(self):
        if self.number:
            board.hang_up(self.number)

    def write(self, data):
        return self.stream(self.send, data)

    def read(self, most):
        return self.stream(self.recv, most)

    def stream(self, do, what):
        try:
            return do(what)
        except OSError as e:
            if e.args[0] == errno.EAGAIN:
                return None
            raise
