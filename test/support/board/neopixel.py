import json
import board


class NeoPixel:
    def __init__(self, pin, count):
        self.colour = None

    def fill(self, colour):
        self.colour = colour

    def write(self):
        board.ask("lights", json.dumps(list(self.colour)))
