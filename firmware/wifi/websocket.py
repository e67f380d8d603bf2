# The WebSocket of a station: a client in the few words of RFC 6455 that the station link needs. It never waits: poll()
# gives the next text message, or None while none is whole.
import binascii
import errno
import os
import socket

HEAD = 2048  # bytes of the house's answer to the dial, at most
KEPT = 160  # bytes of a message that is too long: its "t" and "id" stand first


def sha1(data):
    """The SHA-1 of bytes: some boards have no hashlib.sha1, and the house's answer has to be checked."""
    h = [0x67452301, 0xEFCDAB89, 0x98BADCFE, 0x10325476, 0xC3D2E1F0]
    bits = len(data) * 8
    data += b"\x80" + bytes((55 - len(data)) % 64) + bits.to_bytes(8, "big")
    for block in range(0, len(data), 64):
        w = [int.from_bytes(data[i : i + 4], "big") for i in range(block, block + 64, 4)]
        for i in range(16, 80):
            x = w[i - 3] ^ w[i - 8] ^ w[i - 14] ^ w[i - 16]
            w.append((x << 1 | x >> 31) & 0xFFFFFFFF)
        a, b, c, d, e = h
        for i in range(80):
            if i < 20:
                f = (b & c | ~b & d) + 0x5A827999
            elif i < 40:
                f = (b ^ c ^ d) + 0x6ED9EBA1
            elif i < 60:
                f = (b & c | b & d | c & d) + 0x8F1BBCDC
            else:
                f = (b ^ c ^ d) + 0xCA62C1D6
            a, b, c, d, e = ((a << 5 | a >> 27) + f + e + w[i]) & 0xFFFFFFFF, a, (b << 30 | b >> 2) & 0xFFFFFFFF, c, d
        h = [(x + y) & 0xFFFFFFFF for x, y in zip(h, (a, b, c, d, e))]
    return b"".join(x.to_bytes(4, "big") for x in h)


def parse(address):
    """ws://HOST:PORT/PATH as (tls, host, port, path)."""
    scheme, _, rest = address.partition("://")
    if scheme not in ("ws", "wss") or not rest:
        raise ValueError("HOUSE is ws://HOST:PORT or wss://HOST:PORT")
    at, _, path = rest.partition("/")
    host, _, port = at.partition(":")
    if at.startswith("["):  # IPv6
        host, _, port = at[1:].partition("]")
        port = port[1:]
    return scheme == "wss", host, int(port or (443 if scheme == "wss" else 80)), "/" + (path or "station")


def dial(host, port):
    """A plain connection."""
    found = socket.getaddrinfo(host, port)[0]
    s = socket.socket(found[0]) if ":" in host else socket.socket()
    try:
        s.settimeout(5)  # less than the watchdog waits
        s.connect(found[-1])
    except Exception:
        s.close()
        raise
    return s


async def prepare(address):
    """Gets what a dial of an address needs before: the time, where the connection is secured."""
    tls, host, port, _ = parse(address)
    if tls:
        import secure

        if not secure.clock_is_set():
            await secure.set_clock(dial(host, port), host)


class WebSocket:
    """A connection to the house. Errors are OSError, with words where there are some; the connection is over then."""

    def __init__(self, address, token, most, authority=None, certified=None):
        tls, host, port, path = parse(address)
        self.most = most
        self.got = b""  # that is not looked at yet
        self.message = b""  # of the fragments so far
        self.size = 0  # of the message so far
        self.left = 0  # bytes of a frame that are passed over
        self.out = b""  # that did not go out yet
        self.greeted = False
        self.key = binascii.b2a_base64(os.urandom(16)).strip()
        self.socket = dial(host, port)
        try:
            if tls:
                import secure

                self.socket = secure.secured(self.socket, certified or host, authority)
            self.socket.setblocking(False)
            self.write(
                "GET {} HTTP/1.1\r\nHost: {}\r\nUpgrade: websocket\r\nConnection: Upgrade\r\n"
                "Sec-WebSocket-Version: 13\r\nSec-WebSocket-Key: {}\r\nAuthorization: Bearer {}\r\n\r\n".format(
                    path, address.split("/")[2], self.key.decode(), token
                ).encode()
            )
        except Exception:
            self.close()
            raise

    def close(self):
        self.socket.close()

    def write(self, data):
        """Sends as much as goes out now; poll sends the rest."""
        self.out += data
        while self.out:
            try:
                n = self.socket.send(self.out)
            except OSError as e:
                if e.args[0] in (errno.EAGAIN, errno.ETIMEDOUT):
                    return
                raise
            if not n:
                return
            self.out = self.out[n:]

    def send(self, text, kind=1):
        """Sends a text message."""
        data = text if isinstance(text, bytes) else text.encode()
        n = len(data)
        if n < 126:
            head = bytes((0x80 | kind, 0x80 | n))
        else:
            head = bytes((0x80 | kind, 0xFE, n >> 8, n & 255)) if n < 65536 else None
        if head is None or len(self.out) > 65536:
            raise OSError("the house does not take what is sent")
        mask = os.urandom(4)
        body = bytearray(data)
        for i in range(n):
            body[i] ^= mask[i & 3]
        self.write(head + mask + bytes(body))

    def poll(self):
        """The next message as (text, whole), or None. Where whole is False it was too long: this is its beginning."""
        if self.out:
            self.write(b"")
        try:
            data = self.socket.recv(1024)
        except OSError as e:
            if e.args[0] not in (errno.EAGAIN, errno.ETIMEDOUT):
                raise
            data = None
        if data == b"":
            raise OSError("the house ended the connection")
        if data:
            self.got += data
        if not self.greeted and not self.greet():
            return None
        return self.frames()

    def greet(self):
        """Reads the answer to the dial."""
        end = self.got.find(b"\r\n\r\n")
        if end < 0:
            if len(self.got) > HEAD:
                raise OSError("this is no house: its answer has no end")
            return False
        lines = self.got[:end].decode().split("\r\n")
        status = lines[0].split(" ")
        if len(status) < 2 or status[1] != "101":
            raise OSError("the house does not take the station: " + self.why(status, self.got[end + 4 :]))
        want = binascii.b2a_base64(sha1(self.key + b"258EAFA5-E914-47DA-95CA-C5AB0DC85B11")).strip().decode()
        for line in lines[1:]:
            name, _, value = line.partition(":")
            if name.lower() == "sec-websocket-accept" and value.strip() == want:
                self.got = self.got[end + 4 :]
                self.greeted = True
                return True
        raise OSError("this is no house: its answer is not the one to this dial")

    def why(self, status, body):
        code = status[1] if len(status) > 1 else "no answer"
        if code in ("401", "403"):
            return "its token is not one of a station here. Make another: urbo station add NAME --wifi"
        return " ".join(status[1:]) or body[:80].decode()

    def frames(self):
        while True:
            if self.left:  # of a frame that is too long
                n = min(self.left, len(self.got))
                self.left -= n
                self.got = self.got[n:]
                if self.left:
                    return None
                if self.final:
                    return self.take()
            if len(self.got) < 2:
                return None
            first, n, head = self.got[0], self.got[1] & 127, 2
            kind = first & 15
            if self.got[1] & 128 or first & 0x70 or kind > 7 and n > 125:
                raise OSError("the house sends what is no WebSocket")
            if n > 125:
                head = 4 if n == 126 else 10
                if len(self.got) < head:
                    return None
                n = int.from_bytes(self.got[2:head], "big")
            if kind < 8 and self.size + n > self.most:
                begins = self.got[head : head + max(KEPT - len(self.message), 0)]
                if len(begins) < min(n, KEPT - len(self.message)):
                    return None  # enough of it to answer
                self.message += begins
                self.size, self.left, self.final = self.size + n, n, bool(first & 128)
                self.got = self.got[head:]
                continue
            if len(self.got) < head + n:
                return None
            body = self.got[head : head + n]
            self.got = self.got[head + n :]
            if kind == 8:
                raise OSError("the house closed the connection: " + body[2:].decode())
            if kind == 9:
                self.send(body, 10)
            elif kind < 8:
                self.message += body
                self.size += n
                if first & 128:
                    return self.take()

    def take(self):
        text, whole = self.message, self.size <= self.most
        self.message, self.size = b"", 0
        try:
            return text.decode(), whole
        except UnicodeError:
            return "", whole
