import type { PartWay } from '../../parts/index';
import { busCode } from '../buses/index';
import { cppPort, SERIAL_PORTS } from '../buses/serial';
import {
  cppNumbers,
  cppValue,
  kernelCode,
  placeName,
  python,
  pythonNumbers,
  pythonValue,
  type PythonCode,
  type Way,
  type Wish,
} from './way';

type Bytes = Extract<PartWay, { sort: 'bytes' }>;
type Position = Extract<PartWay, { sort: 'position' }>;

const expressions = ({ value, steps }: Bytes, { part }: Wish): string[] => [
  value,
  part.measure.loose ?? '',
  ...steps.map(([, one]) => one),
];

/** Measures of one module that are made from the same bytes are made from one look at the part. */
const readerName = (way: Bytes, wish: Wish): string => {
  const same = wish.part.module.measures.findIndex(
    (one) => one.way.sort === 'bytes' && JSON.stringify(one.way.from) === JSON.stringify(way.from),
  );
  return `${placeName(wish)}${same <= 0 ? '' : `_${same + 1}`}`;
};

/** A value out of bytes that a part sends. */
export const bytes: Way<Bytes> = {
  cpp: (way, wish) => {
    const bus = busCode(way.from);
    const name = readerName(way, wish);
    const { read, ...code } = bus.cpp(way.from, wish, `bytes_${name}`);
    return {
      ...code,
      support: [...(code.support ?? []), ...cppNumbers(...expressions(way, wish))],
      beside: [
        `uint8_t bytes_${name}[${bus.count(way.from)}];
bool read_${name}() {
  static unsigned long readMs = 0;
  static bool good = false;
  if (readMs != 0 && millis() - readMs < ${wish.part.shortestS * 1000}) return good;
  good = ${read};
  readMs = millis() | 1;
  return good;
}`,
      ],
      lines: [
        `if (!read_${name}()) return nothing("${wish.key}", "no answer from the part; check its wires");`,
        `const uint8_t* b = bytes_${name};`,
        ...way.steps.map(([step, one]) => `double ${step} = ${one};`),
        ...cppValue(wish, way.value),
      ],
    };
  },
  microPython: (way, wish) =>
    pythonBytes(way, wish, busCode(way.from).microPython(way.from, wish), 'time.ticks_ms()', [
      'time.ticks_diff(time.ticks_ms(), KEPT_BYTES[name][1])',
      1000,
    ]),
  computer: (way, wish) => {
    const kernel = kernelCode(wish);
    if (kernel !== null) return kernel;
    const code = busCode(way.from).computer(way.from, wish);
    return code === null
      ? null
      : pythonBytes(way, wish, code, 'time.monotonic()', ['time.monotonic() - KEPT_BYTES[name][1]', 1]);
  },
};

function pythonBytes(
  way: Bytes,
  wish: Wish,
  { read, ...code }: Partial<PythonCode> & { read: string },
  now: string,
  [age, second]: [string, number],
): Partial<PythonCode> {
  return {
    ...code,
    imports: [...(code.imports ?? []), 'math'],
    support: [
      ...(code.support ?? []),
      ...pythonNumbers(...expressions(way, wish)),
      `KEPT_BYTES = {}


def kept_bytes(name, for_s, read):
    """What a part said just now serves all its datastreams."""
    if name not in KEPT_BYTES or ${age} >= for_s${second === 1 ? '' : ` * ${second}`}:
        KEPT_BYTES[name] = (read(), ${now})
    return KEPT_BYTES[name][0]
`,
    ],
    lines: [
      `b = kept_bytes("${readerName(way, wish)}", ${wish.part.shortestS}, lambda: ${read})`,
      'if b is None:',
      `    return nothing("${wish.key}", "no answer from the part; check its wires")`,
      ...way.steps.map(([step, one]) => `${step} = ${python(one)}`),
      ...pythonValue(wish, way.value),
    ],
  };
}

const CPP_POSITION = `// Degrees from a sentence of a position receiver (NMEA 0183): "4807.038,N" is 48 degrees and 7.038 minutes.
double degreesOf(const String& text, char way) {
  double number = atof(text.c_str());
  double degrees = (int)(number / 100) + (number - (int)(number / 100) * 100) / 60;
  return way == 'S' || way == 'W' ? -degrees : degrees;
}
String fieldOf(const String& sentence, int place) {
  int start = 0;
  for (; place > 0 && start < (int)sentence.length(); start++)
    if (sentence[start] == ',') place--;
  int end = start;
  while (end < (int)sentence.length() && sentence[end] != ',' && sentence[end] != '*') end++;
  return sentence.substring(start, end);
}
// "lat,lon" from a sentence of sort GGA with the right sum, or nothing.
String placeOf(const String& sentence) {
  int star = sentence.indexOf("*");
  if (star < 7 || !(sentence.substring(3, 6) == "GGA") || fieldOf(sentence, 6).toFloat() < 1) return String("");
  int sum = 0;
  for (int i = 1; i < star; i++) sum ^= sentence[i];
  if (sum != (int)strtol(sentence.substring(star + 1, star + 3).c_str(), nullptr, 16)) return String("");
  return String(degreesOf(fieldOf(sentence, 2), fieldOf(sentence, 3)[0]), 6) + "," +
         String(degreesOf(fieldOf(sentence, 4), fieldOf(sentence, 5)[0]), 6);
}
// Listens for a second and a half: a receiver says where it is once a second.
String readPlace(HardwareSerial& port) {
  String line = "", place = "";
  for (unsigned long start = millis(); millis() - start < 1500 && place.length() == 0;) {
    if (port.available() <= 0) {
      delay(1);
      continue;
    }
    char letter = (char)port.read();
    if (letter == '$') line = "";
    if (letter == '\\r' || letter == '\\n') place = placeOf(line);
    else if (line.length() < 100) line += letter;
  }
  return place;
}
`;
const PYTHON_POSITION = `def degrees_of(text, way):
    """Degrees from "4807.038", "N": 48 degrees and 7.038 minutes (NMEA 0183)."""
    number = float(text)
    degrees = number // 100 + number % 100 / 60
    return -degrees if way in "SW" else degrees


def place_of(sentence):
    """ "lat,lon" from a sentence of sort GGA with the right sum, or None."""
    fields = sentence.split("*")[0].split(",")
    if len(fields) < 7 or not fields[0].endswith("GGA") or fields[6] in ("", "0") or "*" not in sentence:
        return None
    total = 0
    for letter in sentence[1:].split("*")[0]:
        total ^= ord(letter)
    if "%02X" % total != sentence.split("*")[1][:2].upper():
        return None
    return "%.6f,%.6f" % (degrees_of(fields[2], fields[3]), degrees_of(fields[4], fields[5]))


def read_place(port):
    """Listens for two seconds: a receiver says where it is once a second."""
    line, start = "", time.time()
    while time.time() - start < 2:
        for letter in (port.read(32) or b"").decode("ascii", "replace"):
            if letter == "$":
                line = ""
            if letter in "\\r\\n" and place_of(line):
                return place_of(line)
            line = (line + letter)[-100:]
    return None
`;

/** Sentences of a position receiver. */
export const position: Way<Position> = {
  cpp: ({ speed }, { key, pins: [receive, send] }) => ({
    support: [SERIAL_PORTS.cpp, CPP_POSITION],
    setup: [`${cppPort(receive!)}.begin(${speed}, SERIAL_8N1, ${receive}, ${send});`],
    lines: [
      `String place = readPlace(${cppPort(receive!)});`,
      `if (place.length() == 0) nothing("${key}", "no place yet; the receiver needs sight of the sky");`,
      'return place;',
    ],
  }),
  microPython: ({ speed }, { key, pins: [receive, send] }) => ({
    support: [SERIAL_PORTS.microPython, PYTHON_POSITION],
    lines: positionLines(key, `serial_port(${speed}, ${receive}, ${send})`),
  }),
  computer: ({ speed }, { key }) => ({
    imports: [...SERIAL_PORTS.computerImports],
    support: [SERIAL_PORTS.computer, PYTHON_POSITION],
    lines: positionLines(key, `serial_port(${speed})`),
  }),
};
const positionLines = (key: string, port: string): string[] => [
  `place = read_place(${port})`,
  `return place or nothing("${key}", "no place yet; the receiver needs sight of the sky")`,
];
