import json
import board


def getaddrinfo(host, port):
    return [(0, 0, 0, "", (host, port))]


class socket:
    """One question and its answer over a real connection."""

    def settimeout(self, seconds):
        pass

    def connect(self, place):
        self.place = place
        self.answer = None

    def send(self, data):
        said = json.loads(board.ask("tcp", json.dumps([self.place[0], self.place[1], data.decode()])))
        if said is None:
            raise OSError("no connection")
        self.answer = said.encode()

    def recv(self, count):
        part, self.answer = self.answer[:count], self.answer[count:]
        return part

    def close(self):
        pass
