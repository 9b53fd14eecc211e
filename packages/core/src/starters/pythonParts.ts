import { partOf, pinNumber, type Part } from '../parts/index';
import type { Datastream } from '../readings/types';

/** What a part needs in a Python program: lines beside its function, and those of the function, which knows `value` where it is an output. */
export interface PythonCode {
  beside: string[];
  lines: string[];
}

type Maker = (part: Part, pin: number, key: string) => PythonCode | null;

function codeOf(stream: Datastream, make: Maker): PythonCode | null {
  const part = partOf(stream.part);
  if (part === undefined || (part.stream.direction === 'control') !== (stream.direction === 'control'))
    return null;
  return make(part, pinNumber(part, stream.boardPin), stream.key);
}

/** The lines of a part on a board with MicroPython. */
export const microPythonCode = (stream: Datastream): PythonCode | null => codeOf(stream, onBoard);
/** The lines of a part on a small computer, with gpiozero; null for what needs an analogue pin, which it has none of. */
export const smallComputerCode = (stream: Datastream): PythonCode | null => codeOf(stream, onComputer);

const math = (expression: string): string => expression.replaceAll('log(', 'math.log(');

const onBoard: Maker = ({ way }, pin, key) => {
  switch (way.sort) {
    case 'analogue':
      return {
        beside: [`pin_${key} = machine.ADC(machine.Pin(${pin}))`],
        lines: [
          `share = min(0.9999, max(0.0001, pin_${key}.read_u16() / 65535))`,
          `return ${math(way.value)}`,
        ],
      };
    case 'level':
      return {
        beside: [
          `pin_${key} = machine.Pin(${pin}, machine.Pin.IN${way.closed ? ', machine.Pin.PULL_UP' : ''})`,
        ],
        lines: [`return pin_${key}.value() == ${way.closed ? 0 : 1}`],
      };
    case 'pulses':
      return {
        beside: [
          `pin_${key} = machine.Pin(${pin}, machine.Pin.IN, machine.Pin.PULL_UP)`,
          `counted_${key} = [0, time.ticks_ms()]`,
          '',
          '',
          `def count_${key}(_pin):`,
          `    counted_${key}[0] += 1`,
          '',
          '',
          `pin_${key}.irq(count_${key}, machine.Pin.IRQ_FALLING)`,
          '',
          '',
        ],
        lines: [
          `pulses, since = counted_${key}`,
          `counted_${key}[0] -= pulses`,
          `counted_${key}[1] = time.ticks_ms()`,
          ...(way.value.includes('seconds')
            ? ['seconds = (time.ticks_diff(time.ticks_ms(), since) + 1) / 1000']
            : []),
          `return ${math(way.value)}`,
        ],
      };
    case 'echo':
      return {
        beside: [
          'trigger = machine.Pin(5, machine.Pin.OUT)',
          `pin_${key} = machine.Pin(${pin}, machine.Pin.IN)`,
        ],
        lines: [
          'trigger.value(1)',
          'time.sleep_us(10)',
          'trigger.value(0)',
          `us = machine.time_pulse_us(pin_${key}, 1, 30000)`,
          `return ${math(way.value)} if us > 0 else None  # no echo`,
        ],
      };
    case 'signal':
      return { beside: [], lines: ['return network.WLAN(network.STA_IF).status("rssi")'] };
    case 'switch':
      return {
        beside: [`pin_${key} = machine.Pin(${pin}, machine.Pin.OUT)`],
        lines: [`pin_${key}.value(1 if value else 0)`],
      };
    case 'dim':
      return {
        beside: [`pin_${key} = machine.PWM(machine.Pin(${pin}), freq=1000)`],
        lines: [`pin_${key}.duty_u16(int(value * 655.35))`],
      };
    case 'angle':
      return {
        beside: [`pin_${key} = machine.PWM(machine.Pin(${pin}), freq=50)`],
        lines: [`pin_${key}.duty_ns(int(500000 + value / 180 * 2000000))`],
      };
  }
};

const onComputer: Maker = ({ way }, pin, key) => {
  switch (way.sort) {
    case 'analogue':
    case 'signal':
      return null;
    case 'level':
      return {
        beside: [
          `pin_${key} = gpiozero.DigitalInputDevice(${pin}, pull_up=${way.closed ? 'True' : 'False'})`,
        ],
        lines: [`return bool(pin_${key}.is_active)`],
      };
    case 'pulses':
      return {
        beside: [
          `pin_${key} = gpiozero.DigitalInputDevice(${pin}, pull_up=True)`,
          `counted_${key} = [0, time.monotonic()]`,
          '',
          '',
          `def count_${key}():`,
          `    counted_${key}[0] += 1`,
          '',
          '',
          `pin_${key}.when_activated = count_${key}`,
          '',
          '',
        ],
        lines: [
          `pulses, since = counted_${key}`,
          `counted_${key}[0] -= pulses`,
          `counted_${key}[1] = time.monotonic()`,
          ...(way.value.includes('seconds') ? ['seconds = time.monotonic() - since + 0.001'] : []),
          `return ${way.value}`,
        ],
      };
    case 'echo':
      return {
        beside: [`pin_${key} = gpiozero.DistanceSensor(echo=${pin}, trigger=5, max_distance=4.5)`],
        lines: [`return round(pin_${key}.distance * 1000)`],
      };
    case 'switch':
      return {
        beside: [`pin_${key} = gpiozero.DigitalOutputDevice(${pin})`],
        lines: [`pin_${key}.value = 1 if value else 0`],
      };
    case 'dim':
      return {
        beside: [`pin_${key} = gpiozero.PWMOutputDevice(${pin})`],
        lines: [`pin_${key}.value = value / 100`],
      };
    case 'angle':
      return {
        beside: [`pin_${key} = gpiozero.AngularServo(${pin}, min_angle=0, max_angle=180)`],
        lines: [`pin_${key}.angle = value`],
      };
  }
};

/** The text of one function with what stands beside it. */
export function pythonFunction(head: string, code: PythonCode): string {
  const beside = code.beside.map((line) => `${line}\n`).join('');
  return `${beside}${beside === '' || beside.endsWith('\n\n') ? '' : '\n\n'}${head}
${code.lines.map((line) => `    ${line}`).join('\n')}

`;
}
