import { hex, type BusCode, type Of } from './bus';

export const I2C_CPP = `// Writes to a part on the two wires of I2C; false where nobody answers.
bool i2cWrite(int address, std::initializer_list<uint8_t> bytes, bool more = false) {
  Wire.beginTransmission(address);
  for (uint8_t byte : bytes) Wire.write(byte);
  return Wire.endTransmission(!more) == 0;
}
bool i2cRead(int address, uint8_t* bytes, int count) {
  if (Wire.requestFrom(address, count) != count) return false;
  for (int i = 0; i < count; i++) bytes[i] = Wire.read();
  return true;
}
`;
export const I2C_MICROPYTHON = `I2C_BUSES = {}


def i2c_bus(data, clock):
    if (data, clock) not in I2C_BUSES:
        I2C_BUSES[(data, clock)] = machine.SoftI2C(sda=machine.Pin(data), scl=machine.Pin(clock), freq=100000)
    return I2C_BUSES[(data, clock)]
`;
const READ_MICROPYTHON = `def i2c_steps(bus, address, steps):
    """Does what a part wants done, step by step, and gives what was read; None where nobody answers."""
    got = b""
    try:
        for step in steps:
            if isinstance(step, bytes):
                bus.writeto(address, step, False if len(step) == 1 else True)
            elif step < 0:
                time.sleep_ms(-step)
            else:
                got += bus.readfrom(address, step)
    except OSError:
        return None
    return got
`;

/** Two wires, shared by many parts. */
export const i2c: BusCode<Of<'i2c'>> = {
  count: ({ steps }) => steps.reduce((sum, step) => sum + ('read' in step ? step.read : 0), 0),
  cpp: ({ address, steps }, { pins: [data, clock] }, buffer) => {
    let at = 0;
    const calls = steps.map((step, i): string => {
      if ('waitMs' in step) return `waited(${step.waitMs})`;
      if ('read' in step) {
        const call = `i2cRead(${hex([address])}, ${buffer} + ${at}, ${step.read})`;
        at += step.read;
        return call;
      }
      // A register is named and read without letting the bus go in between.
      const next = steps[i + 1];
      const more = next !== undefined && 'read' in next ? ', true' : '';
      return `i2cWrite(${hex([address])}, {${hex(step.write)}}${more})`;
    });
    return {
      includes: ['Wire.h'],
      support: [
        I2C_CPP,
        ...(calls.some((call) => call.startsWith('waited'))
          ? ['bool waited(unsigned long ms) {\n  delay(ms);\n  return true;\n}\n']
          : []),
      ],
      setup: [`Wire.begin(${data}, ${clock});`],
      read: calls.join(' && '),
    };
  },
  microPython: ({ address, steps }, { pins: [data, clock] }) => ({
    support: [I2C_MICROPYTHON, READ_MICROPYTHON],
    read: `i2c_steps(i2c_bus(${data}, ${clock}), ${hex([address])}, [${steps
      .map((step) =>
        'write' in step
          ? `bytes([${hex(step.write)}])`
          : 'waitMs' in step
            ? String(-step.waitMs)
            : String(step.read),
      )
      .join(', ')}])`,
  }),
  computer: () => null,
};
