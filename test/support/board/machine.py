# A stand-in of a board's pins and buses: what parts say stands in says.json.
import json
import board


def _says():
    return json.loads(board.ask("says", "[]"))


class Pin:
    IN, OUT, PULL_UP, IRQ_FALLING = 0, 1, 2, 2

    def __init__(self, number, mode=0, pull=0, value=None):
        self.number = number

    def value(self, level=None):
        if level is not None:
            board.ask("pin", json.dumps([self.number, level]))
        bits = _says().get("bits", {}).get(str(self.number))
        return 0 if bits is None else bits

    def irq(self, handler, trigger):
        pass


class ADC:
    def __init__(self, pin):
        self.pin = pin

    def read_u16(self):
        return _says().get("adc", {}).get(str(self.pin.number), 32768)


class PWM:
    def __init__(self, pin, freq=0):
        self.pin = pin

    def duty_u16(self, share):
        board.ask("pin", json.dumps([self.pin.number, share]))

    duty_ns = duty_u16


class SoftI2C:
    """Bytes of a part by its address and the register last written."""

    def __init__(self, sda, scl, freq):
        self.register = {}

    def _part(self, address):
        part = _says().get("i2c", {}).get(str(address))
        if part is None:
            raise OSError(19)
        return part

    def writeto(self, address, data, stop=True):
        self._part(address)
        self.register[address] = data[-1]
        board.ask("i2c", json.dumps([address, list(data)]))

    def readfrom(self, address, count):
        part = self._part(address)
        return bytes(part.get(str(self.register.get(address)), part.get("any", []))[:count])


class SoftSPI:
    def __init__(self, baudrate, sck, mosi, miso):
        pass

    def read(self, count):
        return bytes(_says()["spi"][:count])


class UART:
    def __init__(self, number, speed, rx, tx, timeout):
        self.rx, self.left = rx, b""

    def any(self):
        return 0

    def write(self, data):
        board.ask("serial", json.dumps(list(data)))

    def read(self, count):
        if not self.left:
            self.left = bytes(_says().get("serial", {}).get(str(self.rx), []))
        part, self.left = self.left[:count], self.left[count:]
        return part or None


class RTC:
    def datetime(self, value):
        board.ask("clock", json.dumps(list(value)))

    def memory(self, text=None):
        if text is not None:
            board.ask("keep", json.dumps([text]))
        return json.loads(board.ask("kept", "[]")).encode()


class WDT:
    def __init__(self, timeout):
        pass

    def feed(self):
        board.ask("fed", "[]")


def reset():
    try:
        with open("wifi.json") as file:
            kept = file.read()
    except OSError:
        kept = ""
    board.ask("reset", json.dumps([kept]))
    raise SystemExit


def unique_id():
    return b"\x02\x00\x00\x07"


def time_pulse_us(pin, level, limit):
    return _says().get("echo", -1)


def deepsleep(ms):
    board.ask("sleep", json.dumps([ms]))
    raise SystemExit
