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
    def __init__(self, plain):
        self.plain = plain

    def write(self, data):
        return self.plain.write(data)

    def read(self, most):
        return self.plain.read(most)

    def close(self):
        self.plain.close()
