# TLS as MicroPython has it: a secured connection reads and writes, and has nothing else of a socket.
import binascii
import board

PROTOCOL_TLS_CLIENT = 0
CERT_NONE, CERT_REQUIRED = 0, 2


class SSLContext:
    def __init__(self, protocol):
        self.verify_mode, self.authority = CERT_NONE, b""

    def load_verify_locations(self, der):
        self.authority = der

    def wrap_socket(self, plain, server_hostname=None):
        if self.verify_mode == CERT_REQUIRED and not server_hostname:
            raise ValueError("CERT_REQUIRED requires server_hostname")
        authority = self.authority if self.verify_mode == CERT_REQUIRED else b""
        board.secure(plain.number, server_hostname, binascii.hexlify(authority).decode())
        return SSLSocket(plain)


class SSLSocket:
    """Each third write does not go out at once; what was tried is lost then, unless the same is tried again."""

    def __init__(self, plain):
        self.plain, self.writes, self.tried = plain, 0, None

    def write(self, data):
        if self.tried is None:
            self.writes += 1
            if self.writes % 3 == 0:
                self.tried = bytes(data)
                return None
        elif self.tried != bytes(data):
            raise OSError("TLS tries something else than what did not go out")
        self.tried = None
        return self.plain.write(data)

    def read(self, most):
        return self.plain.read(most)

    def close(self):
        self.plain.close()
