import type { BusCode, Of } from './bus';

const CPP_DATA_WIRE = `// Forty bits on one data wire: a long pulse is a 1. The last byte is the sum of the others.
bool readDataWire(int pin, uint8_t* bytes) {
  pinMode(pin, OUTPUT);
  digitalWrite(pin, LOW);
  delay(20);
  pinMode(pin, INPUT_PULLUP);
  if (pulseIn(pin, HIGH, 1000) == 0) return false;
  for (int i = 0; i < 40; i++) {
    unsigned long us = pulseIn(pin, HIGH, 1000);
    if (us == 0) return false;
    bytes[i / 8] = bytes[i / 8] << 1 | (us > 45 ? 1 : 0);
  }
  return (uint8_t)(bytes[0] + bytes[1] + bytes[2] + bytes[3]) == bytes[4];
}
`;
const PYTHON_DATA_WIRE = `def read_data_wire(pin):
    """Forty bits on one data wire; the last byte is the sum of the others, which the library looks at."""
    part = dht.DHTBase(machine.Pin(pin))
    try:
        part.measure()
    except Exception as error:  # no answer, or a wrong sum
        return None
    return bytes(part.buf)
`;
export const dataWire: BusCode<Of<'data-wire'>> = {
  count: () => 5,
  cpp: (_bus, { pins: [pin] }, buffer) => ({
    support: [CPP_DATA_WIRE],
    read: `readDataWire(${pin}, ${buffer})`,
  }),
  microPython: (_bus, { pins: [pin] }) => ({
    imports: ['dht'],
    support: [PYTHON_DATA_WIRE],
    read: `read_data_wire(${pin})`,
  }),
  computer: () => null,
};

const CPP_ONE_WIRE = `// A one-wire bus: several probes on one pin, each with a number of 64 bits by which it is addressed.
bool wireBit(int pin, bool bit) {
  noInterrupts();
  pinMode(pin, OUTPUT);
  digitalWrite(pin, LOW);
  delayMicroseconds(bit ? 3 : 65);
  pinMode(pin, INPUT_PULLUP);
  delayMicroseconds(10);
  bool seen = digitalRead(pin) == HIGH;
  interrupts();
  delayMicroseconds(bit ? 55 : 5);
  return seen;
}
bool wireReset(int pin) {
  pinMode(pin, OUTPUT);
  digitalWrite(pin, LOW);
  delayMicroseconds(480);
  pinMode(pin, INPUT_PULLUP);
  delayMicroseconds(70);
  bool there = digitalRead(pin) == LOW;
  delayMicroseconds(410);
  return there;
}
void wireWrite(int pin, uint8_t byte) {
  for (int i = 0; i < 8; i++) wireBit(pin, byte >> i & 1);
}
uint8_t wireRead(int pin) {
  uint8_t byte = 0;
  for (int i = 0; i < 8; i++) byte |= wireBit(pin, true) << i;
  return byte;
}
uint8_t wireSum(const uint8_t* bytes, int count) {
  uint8_t sum = 0;
  for (int i = 0; i < count; i++)
    for (int bit = 0; bit < 8; bit++) {
      bool odd = (sum ^ bytes[i] >> bit) & 1;
      sum = odd ? sum >> 1 ^ 0x8C : sum >> 1;
    }
  return sum;
}
// The number of the n-th probe on the bus, found bit by bit: at a fork the zeros go first.
bool wireFind(int pin, int which, uint8_t* number) {
  int lastFork = -1;
  for (int round = 0; round <= which; round++) {
    int fork = -1;
    if (!wireReset(pin)) return false;
    wireWrite(pin, 0xF0);
    for (int i = 0; i < 64; i++) {
      bool one = wireBit(pin, true), other = wireBit(pin, true);
      if (one && other) return false;
      bool bit = one;
      if (!one && !other) {
        bit = i == lastFork || (i < lastFork && (number[i / 8] >> i % 8 & 1));
        if (!bit) fork = i;
      }
      number[i / 8] = (number[i / 8] & ~(1 << i % 8)) | bit << i % 8;
      wireBit(pin, bit);
    }
    lastFork = fork;
    if (fork < 0 && round < which) return false;
  }
  return wireSum(number, 7) == number[7];
}
bool readOneWire(int pin, int which, uint8_t* bytes) {
  uint8_t number[8] = {};
  if (!wireFind(pin, which, number) || !wireReset(pin)) return false;
  wireWrite(pin, 0xCC);
  wireWrite(pin, 0x44);  // measure, all of them
  delay(750);
  if (!wireReset(pin)) return false;
  wireWrite(pin, 0x55);
  for (uint8_t byte : number) wireWrite(pin, byte);
  wireWrite(pin, 0xBE);
  for (int i = 0; i < 9; i++) bytes[i] = wireRead(pin);
  return wireSum(bytes, 8) == bytes[8];
}
`;
const PYTHON_ONE_WIRE = `def read_one_wire(pin, which):
    """Several probes on one pin, each with a number of its own, in the order of their numbers."""
    bus = onewire.OneWire(machine.Pin(pin))
    numbers = sorted(bytes(one) for one in bus.scan())
    if len(numbers) <= which:
        return None
    bus.reset()
    bus.writebyte(0xCC)
    bus.writebyte(0x44)  # measure, all of them
    time.sleep_ms(750)
    bus.reset()
    bus.select_rom(numbers[which])
    bus.writebyte(0xBE)
    got = bytearray(9)
    bus.readinto(got)
    return got if bus.crc8(got) == 0 else None
`;
export const oneWire: BusCode<Of<'one-wire'>> = {
  count: () => 9,
  cpp: (_bus, { pins: [pin], which }, buffer) => ({
    support: [CPP_ONE_WIRE],
    read: `readOneWire(${pin}, ${which}, ${buffer})`,
  }),
  microPython: (_bus, { pins: [pin], which }) => ({
    imports: ['onewire'],
    support: [PYTHON_ONE_WIRE],
    read: `read_one_wire(${pin}, ${which})`,
  }),
  computer: () => null,
};

const CPP_SPI = `// Bytes of a part that only tells, over SPI.
bool readSpi(int clock, int data, int select, uint8_t* bytes, int count) {
  SPI.begin(clock, data, -1, select);
  pinMode(select, OUTPUT);
  digitalWrite(select, LOW);
  for (int i = 0; i < count; i++) bytes[i] = SPI.transfer(0);
  digitalWrite(select, HIGH);
  return true;
}
`;
const PYTHON_SPI = `def read_spi(clock, data, select, count):
    """Bytes of a part that only tells, over SPI."""
    bus = machine.SoftSPI(baudrate=1000000, sck=machine.Pin(clock), mosi=machine.Pin(0), miso=machine.Pin(data))
    pin = machine.Pin(select, machine.Pin.OUT)
    pin.value(0)
    got = bus.read(count)
    pin.value(1)
    return got
`;
export const spi: BusCode<Of<'spi'>> = {
  count: ({ count }) => count,
  cpp: ({ count }, { pins: [clock, data, select] }, buffer) => ({
    includes: ['SPI.h'],
    support: [CPP_SPI],
    read: `readSpi(${clock}, ${data}, ${select}, ${buffer}, ${count})`,
  }),
  microPython: ({ count }, { pins: [clock, data, select] }) => ({
    support: [PYTHON_SPI],
    read: `read_spi(${clock}, ${data}, ${select}, ${count})`,
  }),
  computer: () => null,
};

const CPP_CLOCKED = `// Twenty-four bits of a bridge amplifier, clocked out; a twenty-fifth sets its gain to 128.
bool readClocked(int data, int clock, uint8_t* bytes) {
  pinMode(data, INPUT);
  pinMode(clock, OUTPUT);
  digitalWrite(clock, LOW);
  for (int waited = 0; digitalRead(data) == HIGH; waited++) {
    if (waited == 200) return false;
    delay(1);
  }
  for (int i = 0; i < 25; i++) {
    digitalWrite(clock, HIGH);
    delayMicroseconds(1);
    if (i < 24) bytes[i / 8] = bytes[i / 8] << 1 | (digitalRead(data) == HIGH ? 1 : 0);
    digitalWrite(clock, LOW);
    delayMicroseconds(1);
  }
  return true;
}
`;
const PYTHON_CLOCKED = `def read_clocked(data, clock):
    """Twenty-four bits of a bridge amplifier, clocked out; a twenty-fifth sets its gain to 128."""
    data = machine.Pin(data, machine.Pin.IN)
    clock = machine.Pin(clock, machine.Pin.OUT, value=0)
    for _ in range(200):
        if data.value() == 0:
            break
        time.sleep_ms(1)
    else:
        return None
    got = 0
    for i in range(25):
        clock.value(1)
        if i < 24:
            got = got << 1 | data.value()
        clock.value(0)
    return bytes((got >> 16, got >> 8 & 255, got & 255))
`;
export const clocked: BusCode<Of<'clocked'>> = {
  count: () => 3,
  cpp: (_bus, { pins: [data, clock] }, buffer) => ({
    support: [CPP_CLOCKED],
    read: `readClocked(${data}, ${clock}, ${buffer})`,
  }),
  microPython: (_bus, { pins: [data, clock] }) => ({
    support: [PYTHON_CLOCKED],
    read: `read_clocked(${data}, ${clock})`,
  }),
  computer: () => null,
};
