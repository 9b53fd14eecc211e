import json
import board


class DHTBase:
    def __init__(self, pin):
        self.buf = bytearray(5)

    def measure(self):
        said = json.loads(board.ask("says", "[]")).get("wire")
        if said is None:
            raise OSError(110)
        self.buf = bytearray(said)
