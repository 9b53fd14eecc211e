import { partOf, pinNumber, type Part } from '../parts/index';
import type { Datastream } from '../readings/types';
import { showUnit } from '../readings/units';
import { comment, controlled, middle, pascal, reported, type StarterPlan } from './plan';

/** Decimals with which a value is printed into JSON. */
export function cppDecimals(stream: Datastream): number {
  return stream.type === 'number' ? (stream.decimals ?? 3) : 0;
}

/** The functions of sensors and outputs, and the lines that set their pins. */
export function cppHandlers(plan: StarterPlan): { sensors: string; outputs: string; setup: string } {
  const made = plan.streams.map((stream, i) => ({ stream, code: codeOf(stream, i) }));
  const of = (list: readonly Datastream[]) => made.filter(({ stream }) => list.includes(stream));
  return {
    sensors: of(reported(plan))
      .map(({ stream, code }) => cppSensor(stream, code))
      .join('\n'),
    outputs: of(controlled(plan))
      .map(({ stream, code }) => cppOutput(stream, code))
      .join('\n'),
    setup: made.flatMap(({ code }) => code?.setup.map((line) => `  ${line}\n`) ?? []).join(''),
  };
}

/** What a part needs in the program: things beside the function, lines of setup(), and the lines of the function. */
interface Code {
  beside: string[];
  setup: string[];
  lines: string[];
}

function cppSensor(stream: Datastream, code: Code | null): string {
  const unit = showUnit(stream.unit).replace(/[^\x20-\x7e]/g, '') || 'no unit';
  const random = stream.type === 'boolean' ? 'random(0, 2)' : `${middle(stream)} + random(-100, 101) / 100.0`;
  const value = stream.type === 'integer' ? `(long)(${random})` : random;
  const lines = code?.lines ?? [`return ${value};  // made up: replace by what your sensor says`];
  return `${(code?.beside ?? []).map((line) => `${line}\n`).join('')}double read${pascal(stream.key)}() {  // ${comment(stream.title)}, ${unit}
${lines.map((line) => `  ${line}`).join('\n')}
}
`;
}

function cppOutput(stream: Datastream, code: Code | null): string {
  const printed = `Serial.println(String("${stream.key} -> ") + String(value));`;
  const lines = code?.lines ?? [`// replace by what your output needs`];
  return `bool apply${pascal(stream.key)}(double value) {  // ${comment(stream.title)}
${[printed, ...lines, 'return true;'].map((line) => `  ${line}`).join('\n')}
}
`;
}

function codeOf(stream: Datastream, place: number): Code | null {
  const part = partOf(stream.part);
  if (part === undefined || (part.stream.direction === 'control') !== (stream.direction === 'control'))
    return null;
  return cppCode(part, pinNumber(part, stream.boardPin), pascal(stream.key), place % 8);
}

function cppCode({ way }: Part, pin: number, name: string, channel: number): Code {
  switch (way.sort) {
    case 'analogue':
      return {
        beside: [],
        setup: [],
        lines: [`double share = analogReadMilliVolts(${pin}) / 3300.0;`, `return ${way.value};`],
      };
    case 'level':
      return {
        beside: [],
        setup: [`pinMode(${pin}, ${way.closed ? 'INPUT_PULLUP' : 'INPUT'});`],
        lines: [`return digitalRead(${pin}) == ${way.closed ? 'LOW' : 'HIGH'} ? 1 : 0;`],
      };
    case 'pulses':
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
          ...(way.value.includes('seconds')
            ? [
                'static unsigned long sinceMs = 0;',
                'double seconds = (millis() - sinceMs + 1) / 1000.0;',
                'sinceMs = millis();',
              ]
            : []),
          `return ${way.value};`,
        ],
      };
    case 'echo':
      return {
        beside: [],
        setup: ['pinMode(5, OUTPUT);', `pinMode(${pin}, INPUT);`],
        lines: [
          'digitalWrite(5, HIGH);',
          'delayMicroseconds(10);',
          'digitalWrite(5, LOW);',
          `unsigned long us = pulseIn(${pin}, HIGH, 30000);`,
          'if (us == 0) return NAN;  // no echo',
          `return ${way.value};`,
        ],
      };
    case 'signal':
      return { beside: [], setup: [], lines: ['return radioSignal();'] };
    case 'switch':
      return {
        beside: [],
        setup: [`pinMode(${pin}, OUTPUT);`],
        lines: [`digitalWrite(${pin}, value != 0 ? HIGH : LOW);`],
      };
    case 'dim':
      return { beside: [], setup: [], lines: [`analogWrite(${pin}, (int)(value * 2.55));`] };
    case 'angle':
      return {
        beside: [],
        setup: [`ledcSetup(${channel}, 50, 16);`, `ledcAttachPin(${pin}, ${channel});`],
        // Half a millisecond to two and a half, of the twenty between two pulses.
        lines: [`ledcWrite(${channel}, (uint32_t)((500 + value / 180 * 2000) / 20000 * 65535));`],
      };
  }
}
