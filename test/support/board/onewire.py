import json
import board


class OneWire:
    def __init__(self, pin):
        self.probes = json.loads(board.ask("says", "[]")).get("probes", {})

    def scan(self):
        return [bytearray(json.loads(number)) for number in self.probes]

    def reset(self):
        pass

    def writebyte(self, byte):
        pass

    def select_rom(self, number):
        self.chosen = self.probes[json.dumps(list(number))]

    def readinto(self, got):
        got[:] = bytes(self.chosen)

    def crc8(self, data):
        total = 0
        for byte in data:
            for bit in range(8):
                odd = (total ^ byte >> bit) & 1
                total = total >> 1 ^ 0x8C if odd else total >> 1
        return total
