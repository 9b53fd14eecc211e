import { hex, type BusCode, type Of } from './bus';

const SUMS = { sum: 1, 'sum-16': 2, negated: 3 } as const;

const CPP_SERIAL = `// A frame of a part that speaks over serial: from its first bytes on, whole, and with the right sum.
HardwareSerial serialOne(1), serialTwo(2);
bool frameIsRight(const uint8_t* b, int count, int sum) {
  unsigned total = 0;
  for (int i = sum == 3 ? 1 : 0; i < count - (sum == 2 ? 2 : 1); i++) total += b[i];
  if (sum == 2) return total == (unsigned)(b[count - 2] << 8 | b[count - 1]);
  return (uint8_t)(sum == 3 ? 0x100 - (total & 0xFF) : total) == b[count - 1];
}
bool readFrame(HardwareSerial& port, std::initializer_list<uint8_t> ask, std::initializer_list<uint8_t> head, uint8_t* b, int count, int sum) {
  // The newest frame is wanted: what waited is passed over.
  while (port.available() > 0) port.read();
  for (uint8_t byte : ask) port.write(byte);
  int at = 0;
  for (unsigned long start = millis(); millis() - start < 2500;) {
    if (port.available() <= 0) {
      delay(1);
      continue;
    }
    b[at++] = port.read();
    if (at <= (int)head.size() && b[at - 1] != head.begin()[at - 1]) at = b[at - 1] == head.begin()[0] ? (b[0] = head.begin()[0], 1) : 0;
    if (at < count) continue;
    if (frameIsRight(b, count, sum)) return true;
    at = 0;
  }
  return false;
}
`;
/** The same on a board and on a computer: `port` has any(), read(n) and write(bytes). */
const PYTHON_FRAME = `def frame_is_right(b, how):
    total = sum(b[1 if how == 3 else 0:-2 if how == 2 else -1])
    if how == 2:
        return total == b[-2] << 8 | b[-1]
    return (-total if how == 3 else total) & 255 == b[-1]


def read_frame(port, ask, head, count, how):
    """A frame of a part that speaks over serial: from its first bytes on, whole, and with the right sum."""
    while port.any():  # the newest frame is wanted: what waited is passed over
        port.read(port.any())
    if ask:
        port.write(ask)
    got = b""
    start = time.time()
    while time.time() - start < 3:
        got += port.read(1) or b""
        while got and not (got.startswith(head) or head.startswith(got)):
            got = got[1:]
        if len(got) >= count:
            if frame_is_right(got, how):
                return got
            got = got[1:]
    return None
`;
const MICROPYTHON_PORT = `SERIAL_PORTS = {}


def serial_port(speed, receive, send):
    if receive not in SERIAL_PORTS:
        SERIAL_PORTS[receive] = machine.UART(len(SERIAL_PORTS) % 2 + 1, speed, rx=receive, tx=send, timeout=50)
    return SERIAL_PORTS[receive]
`;
const COMPUTER_PORT = `class SerialPort:
    """The serial line of a small computer, /dev/serial0 unless PEATMOOR_SERIAL names another."""

    def __init__(self, speed):
        self.file = os.open(os.environ.get("PEATMOOR_SERIAL", "/dev/serial0"), os.O_RDWR | os.O_NOCTTY | os.O_NONBLOCK)
        form = termios.tcgetattr(self.file)
        form[0] = form[1] = form[3] = 0
        form[2] = termios.CS8 | termios.CREAD | termios.CLOCAL
        form[4] = form[5] = getattr(termios, "B%d" % speed)
        termios.tcsetattr(self.file, termios.TCSANOW, form)

    def any(self):
        return 256 if select.select([self.file], [], [], 0)[0] else 0

    def read(self, count):
        return os.read(self.file, count) if select.select([self.file], [], [], 0.05)[0] else None

    def write(self, data):
        os.write(self.file, data)


SERIAL_PORTS = {}


def serial_port(speed):
    if speed not in SERIAL_PORTS:
        SERIAL_PORTS[speed] = SerialPort(speed)
    return SERIAL_PORTS[speed]
`;

/** What a port needs, where frames or sentences come over it. */
export const SERIAL_PORTS = {
  cpp: CPP_SERIAL,
  microPython: MICROPYTHON_PORT,
  computer: COMPUTER_PORT,
  computerImports: ['os', 'select', 'termios'],
} as const;
/** Of two ports the first is for even places of datastreams, the second for odd ones. */
export const cppPort = (receive: number): string => (receive % 2 === 0 ? 'serialOne' : 'serialTwo');

const call = ({ ask, head, count, sum }: Of<'serial'>, port: string): string =>
  `read_frame(${port}, bytes([${hex(ask ?? [])}]), bytes([${hex(head)}]), ${count}, ${SUMS[sum]})`;

export const serial: BusCode<Of<'serial'>> = {
  count: ({ count }) => count,
  cpp: ({ speed, ask, head, count, sum }, { pins: [receive, send] }, buffer) => ({
    support: [CPP_SERIAL],
    setup: [`${cppPort(receive!)}.begin(${speed}, SERIAL_8N1, ${receive}, ${send});`],
    read: `readFrame(${cppPort(receive!)}, {${hex(ask ?? [])}}, {${hex(head)}}, ${buffer}, ${count}, ${SUMS[sum]})`,
  }),
  microPython: (bus, { pins: [receive, send] }) => ({
    support: [MICROPYTHON_PORT, PYTHON_FRAME],
    read: call(bus, `serial_port(${bus.speed}, ${receive}, ${send})`),
  }),
  computer: (bus) => ({
    imports: [...SERIAL_PORTS.computerImports],
    support: [COMPUTER_PORT, PYTHON_FRAME],
    read: call(bus, `serial_port(${bus.speed})`),
  }),
};
