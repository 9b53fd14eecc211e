import type { PartWay } from '../../parts/index';
import { cppValue, pythonValue, type Way } from './way';

type Of<S extends PartWay['sort']> = Extract<PartWay, { sort: S }>;

/** A voltage on an analogue pin. A small computer has no such pin. */
export const analogue: Way<Of<'analogue'>> = {
  cpp: ({ value }, wish) => ({
    lines: [`double share = analogReadMilliVolts(${wish.pins[0]}) / 3300.0;`, ...cppValue(wish, value)],
  }),
  microPython: ({ value }, wish) => ({
    imports: ['math'],
    beside: [`pin_${wish.key} = machine.ADC(machine.Pin(${wish.pins[0]}))`],
    lines: [
      `share = min(0.9999, max(0.0001, pin_${wish.key}.read_u16() / 65535))`,
      ...pythonValue(wish, value),
    ],
  }),
  computer: () => null,
};

/** Whole periods of 50 and 60 Hz fit into a fifth of a second. The true RMS is that of what differs from the mean. */
export const alternating: Way<Of<'alternating'>> = {
  cpp: ({ value }, wish) => ({
    support: [CPP_RMS],
    lines: [
      `double share = alternatingShare(${pinOf(wish.pins, wish.part.measure.key)});`,
      ...cppValue(wish, value),
    ],
  }),
  microPython: ({ value }, wish) => ({
    imports: ['math'],
    support: [PYTHON_RMS],
    beside: [`pin_${wish.key} = machine.ADC(machine.Pin(${pinOf(wish.pins, wish.part.measure.key)}))`],
    lines: [`share = alternating_share(pin_${wish.key})`, ...pythonValue(wish, value)],
  }),
  computer: () => null,
};

/** A meter of mains has its voltage on the first pin and its current on the second. */
const pinOf = (pins: readonly number[], measure: string): number =>
  measure === 'current' ? (pins[1] ?? pins[0]!) : pins[0]!;

const CPP_RMS = `// The true RMS of what a pin does around its mean, over a fifth of a second, as a share of the supply.
double alternatingShare(int pin) {
  double sum = 0, squares = 0;
  long count = 0;
  for (unsigned long start = millis(); millis() - start < 200;) {
    double share = analogReadMilliVolts(pin) / 3300.0;
    sum += share;
    squares += share * share;
    count++;
    delayMicroseconds(100);
  }
  double mean = sum / count, spread = squares / count - mean * mean;
  return spread > 0 ? sqrt(spread) : 0;
}
`;
const PYTHON_RMS = `def alternating_share(pin):
    """The true RMS of what a pin does around its mean, over a fifth of a second, as a share of the supply."""
    total = squares = count = 0
    start = time.ticks_ms()
    while time.ticks_diff(time.ticks_ms(), start) < 200:
        share = pin.read_u16() / 65535
        total += share
        squares += share * share
        count += 1
    mean = total / count
    return math.sqrt(max(0, squares / count - mean * mean))
`;
