# TLS to a house at wss://. Its certificate is checked against the house's own authority, whatever address the board
# dials. It takes 40 to 50 kB of memory more.
import asyncio
import binascii
import errno
import gc
import machine
import socket
import time

try:
    import tls
except ImportError:  # before MicroPython 1.23
    import ssl as tls

SINCE = 2026  # a clock that shows an earlier year was never set
MONTHS = "JanFebMarAprMayJunJulAugSepOctNovDec"


class Secured:
    """A secured connection with the methods of a plain socket; those of MicroPython have others."""

    def __init__(self, plain, context, name):
        self.plain, self.left = plain, 0  # bytes that were tried and did not go out
        self.stream = context.wrap_socket(plain, server_hostname=name)

    def setblocking(self, on):
        self.plain.setblocking(on)

    def send(self, data):
        tried = data[: self.left or len(data)]  # what did not go out has to be tried again, and nothing more
        n = self.stream.write(tried)
        self.left = len(tried) - (n or 0)
        if n is None:
            raise OSError(errno.EAGAIN)
        return n

    def recv(self, most):
        data = self.stream.read(most)
        if data is None:
            raise OSError(errno.EAGAIN)
        return data

    def close(self):
        self.stream.close()  # and the plain one with it


def context(authority):
    """A context that takes a certificate only if the authority signed it, or any where there is no authority."""
    c = tls.SSLContext(tls.PROTOCOL_TLS_CLIENT)
    c.verify_mode = tls.CERT_REQUIRED if authority else tls.CERT_NONE
    if authority:
        c.load_verify_locations(der(authority))
    return c


def der(file):
    """What stands in a file in PEM, which boards do not read themselves."""
    try:
        with open(file, "rb") as f:
            return binascii.a2b_base64(b"".join([line.strip() for line in f if not line.startswith(b"-")]))
    except OSError:
        raise OSError("AUTHORITY is the file {}, and there is none on this board".format(file))
    except ValueError:
        raise OSError("AUTHORITY is the file {}, which is not in PEM".format(file))


def secured(plain, name, authority):
    """A plain connection, secured. name is one that the house's certificate is for."""
    if not authority:
        raise OSError("at wss:// AUTHORITY names a file with the house's authority: see docs/wifi-station.md")
    return Secured(plain, context(authority), name)


def clock_is_set():
    return time.gmtime()[0] >= SINCE


async def set_clock(plain, host):
    """Sets the board's clock by the house's over a plain connection, which it ends: without the time no certificate is
    valid. The house is not checked yet, and is told nothing; whoever lies gains that a certificate that is over is taken.
    """
    s = plain
    try:
        s = Secured(plain, context(None), host)
        s.setblocking(False)
        s.send("HEAD / HTTP/1.1\r\nHost: {}\r\nConnection: close\r\n\r\n".format(host).encode())
        answer = b""
        for _ in range(100):  # less than the watchdog waits
            try:
                part = s.recv(512)
                answer += part
                if not part or len(answer) > 4096:
                    break
            except OSError as e:
                if e.args[0] != errno.EAGAIN:
                    raise
                await asyncio.sleep_ms(20)
            at = answer.find(b"\r\nDate: ")
            if at >= 0 and answer.find(b"\r\n", at + 2) >= 0:
                take(answer[at + 8 :].split(b"\r\n")[0].decode())
                return
        raise OSError("the house does not say what time it is")
    finally:
        s.close()
        gc.collect()  # the next connection needs as much


def take(date):
    """Sets the clock to a date such as Mon, 30 Nov 2026 14:08:50 GMT."""
    try:
        _, day, month, year, clock, _ = date.split(" ")
        hour, minute, second = [int(x) for x in clock.split(":")]
        of = MONTHS.find(month) // 3 + 1
        machine.RTC().datetime((int(year), of, int(day), 0, hour, minute, second, 0))
    except ValueError:
        raise OSError("the house's date is none: " + date[:40])
