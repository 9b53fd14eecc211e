import json
import board


def getaddrinfo(host, port):
    return [(0, 0, 0, "", (host, port))]


class _Phone:
    """A phone that has asked, in parts."""

    def __init__(self, parts):
        self.parts = parts

    def settimeout(self, seconds):
        pass

    def recv(self, count):
        return self.parts.pop(0).encode() if self.parts else b""

    def send(self, data):
        board.ask("answered", json.dumps([data.decode()]))

    def close(self):
        pass


class socket:
    """One question and its answer over a real connection."""

    def settimeout(self, seconds):
        pass

    def bind(self, place):
        pass

    def listen(self, count):
        pass

    def setblocking(self, blocks):
        pass

    def accept(self):
        parts = json.loads(board.ask("accept", "[]"))
        if parts is None:
            raise OSError(11)
        return _Phone(parts), None

    def connect(self, place):
        self.place = place
        self.answer = None

    def send(self, data):
        said = json.loads(board.ask("tcp", json.dumps([self.place[0], self.place[1], data.decode()])))
        if said is None:
            raise OSError("no connection")
        self.answer = bytes(ord(letter) for letter in said)

    def recv(self, count):
        part, self.answer = self.answer[:count], self.answer[count:]
        return part

    write = send
    read = recv

    def close(self):
        pass
