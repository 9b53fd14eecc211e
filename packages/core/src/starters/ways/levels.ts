import type { PartWay } from '../../parts/index';
import { cppValue, pythonValue, type Way } from './way';
import { pascal } from '../plan';

type Of<S extends PartWay['sort']> = Extract<PartWay, { sort: S }>;

export const level: Way<Of<'level'>> = {
  cpp: ({ closed }, { pins: [pin] }) => ({
    setup: [`pinMode(${pin}, ${closed ? 'INPUT_PULLUP' : 'INPUT'});`],
    lines: [`return digitalRead(${pin}) == ${closed ? 'LOW' : 'HIGH'} ? 1 : 0;`],
  }),
  microPython: ({ closed }, { key, pins: [pin] }) => ({
    beside: [`pin_${key} = machine.Pin(${pin}, machine.Pin.IN${closed ? ', machine.Pin.PULL_UP' : ''})`],
    lines: [`return pin_${key}.value() == ${closed ? 0 : 1}`],
  }),
  computer: ({ closed }, { key, pins: [pin] }) => ({
    imports: ['gpiozero'],
    beside: [`pin_${key} = gpiozero.DigitalInputDevice(${pin}, pull_up=${closed ? 'True' : 'False'})`],
    lines: [`return bool(pin_${key}.is_active)`],
  }),
};

const counter = (key: string, now: string, argument: string, hook: string): string[] => [
  `counted_${key} = [0, ${now}]`,
  '',
  '',
  `def count_${key}(${argument}):`,
  `    counted_${key}[0] += 1`,
  '',
  '',
  hook,
  '',
  '',
];
const counted = (key: string, now: string, seconds: string, value: string): string[] => [
  `pulses, since = counted_${key}`,
  `counted_${key}[0] -= pulses`,
  `counted_${key}[1] = ${now}`,
  ...(value.includes('seconds') ? [`seconds = ${seconds}`] : []),
];

export const pulses: Way<Of<'pulses'>> = {
  cpp: ({ value }, wish) => {
    const [pin] = wish.pins;
    const name = pascal(wish.key);
    return {
      beside: [
        `volatile unsigned long pulses${name} = 0;`,
        `void IRAM_ATTR count${name}() { pulses${name} = pulses${name} + 1; }`,
      ],
      setup: [
        `pinMode(${pin}, INPUT_PULLUP);`,
        `attachInterrupt(digitalPinToInterrupt(${pin}), count${name}, FALLING);`,
      ],
      lines: [
        `unsigned long pulses = pulses${name};`,
        `pulses${name} = pulses${name} - pulses;`,
        ...(value.includes('seconds')
          ? [
              'static unsigned long sinceMs = 0;',
              'double seconds = (millis() - sinceMs + 1) / 1000.0;',
              'sinceMs = millis();',
            ]
          : []),
        ...cppValue(wish, value),
      ],
    };
  },
  microPython: ({ value }, wish) => {
    const { key, pins } = wish;
    return {
      beside: [
        `pin_${key} = machine.Pin(${pins[0]}, machine.Pin.IN, machine.Pin.PULL_UP)`,
        ...counter(key, 'time.ticks_ms()', '_pin', `pin_${key}.irq(count_${key}, machine.Pin.IRQ_FALLING)`),
      ],
      lines: [
        ...counted(key, 'time.ticks_ms()', '(time.ticks_diff(time.ticks_ms(), since) + 1) / 1000', value),
        ...pythonValue(wish, value),
      ],
    };
  },
  computer: ({ value }, wish) => {
    const { key, pins } = wish;
    return {
      imports: ['gpiozero'],
      beside: [
        `pin_${key} = gpiozero.DigitalInputDevice(${pins[0]}, pull_up=True)`,
        ...counter(key, 'time.monotonic()', '', `pin_${key}.when_activated = count_${key}`),
      ],
      lines: [
        ...counted(key, 'time.monotonic()', 'time.monotonic() - since + 0.001', value),
        ...pythonValue(wish, value),
      ],
    };
  },
};

export const echo: Way<Of<'echo'>> = {
  cpp: ({ value }, wish) => {
    const [pin, trigger] = wish.pins;
    return {
      setup: [`pinMode(${trigger}, OUTPUT);`, `pinMode(${pin}, INPUT);`],
      lines: [
        `digitalWrite(${trigger}, HIGH);`,
        'delayMicroseconds(10);',
        `digitalWrite(${trigger}, LOW);`,
        `unsigned long us = pulseIn(${pin}, HIGH, 30000);`,
        `if (us == 0) return nothing("${wish.key}", "no echo");`,
        ...cppValue(wish, value),
      ],
    };
  },
  microPython: ({ value }, wish) => {
    const { key, pins } = wish;
    return {
      beside: [
        `trigger_${key} = machine.Pin(${pins[1]}, machine.Pin.OUT)`,
        `pin_${key} = machine.Pin(${pins[0]}, machine.Pin.IN)`,
      ],
      lines: [
        `trigger_${key}.value(1)`,
        'time.sleep_us(10)',
        `trigger_${key}.value(0)`,
        `us = machine.time_pulse_us(pin_${key}, 1, 30000)`,
        'if us <= 0:',
        `    return nothing("${key}", "no echo")`,
        ...pythonValue(wish, value),
      ],
    };
  },
  computer: (_way, { key, pins }) => ({
    imports: ['gpiozero'],
    beside: [`pin_${key} = gpiozero.DistanceSensor(echo=${pins[0]}, trigger=${pins[1]}, max_distance=4.5)`],
    lines: [`return round(pin_${key}.distance * 1000)`],
  }),
};

export const signal: Way<Of<'signal'>> = {
  cpp: () => ({ lines: ['return radioSignal();'] }),
  microPython: () => ({ lines: ['return network.WLAN(network.STA_IF).status("rssi")'] }),
  computer: () => null,
};
