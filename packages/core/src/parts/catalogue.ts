import type { Datastream } from '../readings/types';

/** How a program reads or drives a part. */
export type PartWay =
  /** A voltage on an analogue pin: `value` is worked out from `share`, 0 to 1 of the supply. */
  | { sort: 'analogue'; value: string }
  /** A level on a pin; `closed` where a contact closes to ground and reads low. */
  | { sort: 'level'; closed: boolean }
  /** Pulses on a pin since the last report; `value` is worked out from `pulses` and `seconds`. */
  | { sort: 'pulses'; value: string }
  /** The time an echo takes: `value` is worked out from `us`, microseconds there and back. */
  | { sort: 'echo'; value: string }
  /** The strength of the radio signal, told by the board itself. */
  | { sort: 'signal' }
  /** A pin that is on or off. */
  | { sort: 'switch' }
  /** A pin whose share of time is set, from 0 to 100 %. */
  | { sort: 'dim' }
  /** A lever that is turned to an angle. */
  | { sort: 'angle' };

/** A common sensor or output part, by what it does and not by who makes it. */
export interface Part {
  key: string;
  title: string;
  /** More words by which it is looked for. */
  words: string;
  stream: Pick<Datastream, 'type' | 'unit' | 'min' | 'max' | 'decimals' | 'direction'>;
  /** Seconds between two readings at the least: the part needs them to settle. */
  shortestS: number;
  /** The pin of the board that most starters would take. */
  pin: number;
  /** What is wired to what; `{pin}` is the pin of the board. */
  wiring: [part: string, board: string][];
  way: PartWay;
}

const reads = (
  type: Datastream['type'],
  unit: string | null,
  min: number | null,
  max: number | null,
  decimals: number | null = null,
): Part['stream'] => ({ type, unit, min, max, decimals, direction: 'report' });
const obeys = (
  type: Datastream['type'],
  unit: string | null = null,
  min: number | null = null,
  max: number | null = null,
): Part['stream'] => ({ type, unit, min, max, decimals: null, direction: 'control' });

const part = (
  key: string,
  title: string,
  words: string,
  stream: Part['stream'],
  shortestS: number,
  pin: number,
  way: PartWay,
  wiring: Part['wiring'],
): Part => ({ key, title, words, stream, shortestS, pin, way, wiring });

const DIVIDER: Part['wiring'] = [
  ['one leg', '3.3 V'],
  ['other leg', 'GPIO {pin}'],
  ['10 kΩ from GPIO {pin}', 'GND'],
];
const THREE_WIRES: Part['wiring'] = [
  ['supply', '3.3 V'],
  ['ground', 'GND'],
  ['signal', 'GPIO {pin}'],
];
const CONTACT: Part['wiring'] = [
  ['one side', 'GPIO {pin}'],
  ['other side', 'GND'],
];
const OUTPUT: Part['wiring'] = [
  ['input', 'GPIO {pin}'],
  ['supply', '5 V'],
  ['ground', 'GND'],
];

/** The parts there are. Ranges are what the part can say at all: outside of it, a wire is loose. */
export const PARTS: readonly Part[] = [
  part(
    'thermistor',
    'Thermistor, 10 kΩ',
    'temperature NTC bead probe',
    reads('number', 'Cel', -40, 125, 1),
    1,
    34,
    { sort: 'analogue', value: '1 / (log((1 - share) / share) / 3950 + 1 / 298.15) - 273.15' },
    DIVIDER,
  ),
  part(
    'photoresistor',
    'Photoresistor',
    'light brightness dark day',
    reads('number', '%', 0, 100, 0),
    1,
    34,
    { sort: 'analogue', value: 'share * 100' },
    DIVIDER,
  ),
  part(
    'soil-moisture',
    'Soil moisture probe',
    'peat wet dry capacitive water content',
    reads('number', '%', 0, 100, 0),
    1,
    34,
    { sort: 'analogue', value: '(0.85 - share) / 0.45 * 100' },
    THREE_WIRES,
  ),
  part(
    'turn-knob',
    'Turning knob',
    'potentiometer position',
    reads('number', '%', 0, 100, 0),
    1,
    34,
    { sort: 'analogue', value: 'share * 100' },
    THREE_WIRES,
  ),
  part(
    'voltage',
    'Voltage up to 3.3 V',
    'analogue input',
    reads('number', 'V', 0, 3.3, 2),
    1,
    34,
    { sort: 'analogue', value: 'share * 3.3' },
    [
      ['plus', 'GPIO {pin}'],
      ['minus', 'GND'],
    ],
  ),
  part(
    'battery',
    'Battery through two equal resistors',
    'cell charge supply voltage',
    reads('number', 'V', 0, 6.6, 2),
    1,
    35,
    { sort: 'analogue', value: 'share * 6.6' },
    [
      ['battery +, through 100 kΩ', 'GPIO {pin}'],
      ['100 kΩ from GPIO {pin}', 'GND'],
      ['battery −', 'GND'],
    ],
  ),
  part(
    'loop-current',
    'Current loop, 4 to 20 mA',
    'industrial transmitter level pressure',
    reads('number', 'mA', 3.6, 21, 2),
    1,
    34,
    { sort: 'analogue', value: 'share * 3.3 / 0.15' },
    [
      ['loop +', 'supply of the loop, 24 V'],
      ['loop −', 'GPIO {pin}'],
      ['150 Ω from GPIO {pin}', 'GND'],
    ],
  ),
  part(
    'water-pressure',
    'Water pressure probe, 0 to 1 m',
    'level depth submersible well dipwell',
    reads('number', 'mm', 0, 1000, 0),
    2,
    34,
    { sort: 'analogue', value: '(share * 3.3 / 0.15 - 4) / 16 * 1000' },
    [
      ['loop +', 'supply of the loop, 24 V'],
      ['loop −', 'GPIO {pin}'],
      ['150 Ω from GPIO {pin}', 'GND'],
    ],
  ),
  part(
    'wind-vane',
    'Wind vane',
    'direction weather',
    reads('number', 'deg', 0, 360, 0),
    1,
    34,
    { sort: 'analogue', value: 'share * 360' },
    THREE_WIRES,
  ),
  part(
    'echo-distance',
    'Distance by echo',
    'ultrasonic level range',
    reads('number', 'mm', 20, 4500, 0),
    1,
    18,
    { sort: 'echo', value: 'us * 0.1716' },
    [
      ['supply', '5 V'],
      ['ground', 'GND'],
      ['trigger', 'GPIO 5'],
      ['echo, through 1 kΩ', 'GPIO {pin}'],
    ],
  ),
  part(
    'rain-tipper',
    'Tipping-bucket rain gauge',
    'precipitation pulses mm',
    reads('number', 'mm', 0, 50, 1),
    1,
    27,
    { sort: 'pulses', value: 'pulses * 0.2' },
    CONTACT,
  ),
  part(
    'wind-cups',
    'Wind cups',
    'anemometer speed weather',
    reads('number', 'm/s', 0, 60, 1),
    5,
    27,
    { sort: 'pulses', value: 'pulses / seconds * 0.667' },
    CONTACT,
  ),
  part(
    'flow-meter',
    'Flow meter with pulses',
    'water pipe litres',
    reads('number', 'l/s', 0, 1, 3),
    1,
    27,
    { sort: 'pulses', value: 'pulses / seconds / 450' },
    THREE_WIRES,
  ),
  part(
    'pulse-counter',
    'Counter of pulses',
    'energy meter visitors turns',
    reads('integer', 'count', 0, null),
    1,
    27,
    { sort: 'pulses', value: 'pulses' },
    CONTACT,
  ),
  part(
    'contact',
    'Contact: door, float or reed',
    'switch open closed magnet level',
    reads('boolean', null, null, null),
    1,
    27,
    { sort: 'level', closed: true },
    CONTACT,
  ),
  part(
    'push-button',
    'Push button',
    'key press',
    reads('boolean', null, null, null),
    1,
    27,
    { sort: 'level', closed: true },
    CONTACT,
  ),
  part(
    'motion',
    'Motion sensor',
    'movement infrared presence people',
    reads('boolean', null, null, null),
    2,
    27,
    { sort: 'level', closed: false },
    [
      ['supply', '5 V'],
      ['ground', 'GND'],
      ['signal', 'GPIO {pin}'],
    ],
  ),
  part(
    'water-presence',
    'Water or not',
    'leak wet rain plate',
    reads('boolean', null, null, null),
    1,
    27,
    { sort: 'level', closed: false },
    THREE_WIRES,
  ),
  part(
    'radio-signal',
    'Signal of the radio',
    'wi-fi strength board reception',
    reads('integer', 'dBm', -120, 0),
    1,
    0,
    { sort: 'signal' },
    [],
  ),
  part(
    'relay',
    'Relay',
    'switch pump valve heater mains on off',
    obeys('boolean'),
    1,
    26,
    { sort: 'switch' },
    OUTPUT,
  ),
  part('lamp', 'Lamp or signal light', 'LED light on off', obeys('boolean'), 1, 26, { sort: 'switch' }, [
    ['long leg, through 220 Ω', 'GPIO {pin}'],
    ['short leg', 'GND'],
  ]),
  part('horn', 'Horn or buzzer', 'sound beep alarm', obeys('boolean'), 1, 26, { sort: 'switch' }, OUTPUT),
  part(
    'dimmer',
    'Dimmed lamp, fan or pump',
    'PWM speed brightness',
    obeys('integer', '%', 0, 100),
    1,
    25,
    { sort: 'dim' },
    OUTPUT,
  ),
  part(
    'turning-lever',
    'Turning lever',
    'servo angle gate flap',
    obeys('integer', 'deg', 0, 180),
    1,
    25,
    { sort: 'angle' },
    OUTPUT,
  ),
];

export function partOf(key: string | null): Part | undefined {
  return key === null ? undefined : PARTS.find((one) => one.key === key);
}

/** What a datastream becomes when a part is chosen for it. */
export function withPart(one: Part): Partial<Datastream> {
  return { ...one.stream, part: one.key, boardPin: one.pin === 0 ? '' : `GPIO ${one.pin}` };
}

/** The number of the board's pin that a note such as "GPIO 34" names; that of the part where it names none. */
export function pinNumber(one: Part, boardPin: string): number {
  const named = /\d+/.exec(boardPin)?.[0];
  return named === undefined ? one.pin : Number(named);
}

/** What is wired to what, for the datastreams that have a part. */
export function wiringOf(
  streams: readonly Pick<Datastream, 'key' | 'title' | 'part' | 'boardPin'>[],
): { title: string; part: string; lines: [part: string, board: string][] }[] {
  return streams.flatMap((stream) => {
    const one = partOf(stream.part);
    if (one === undefined || one.wiring.length === 0) return [];
    const pin = String(pinNumber(one, stream.boardPin));
    return [
      {
        title: stream.title,
        part: one.title,
        lines: one.wiring.map(([from, to]): [string, string] => [
          from.replaceAll('{pin}', pin),
          to.replaceAll('{pin}', pin),
        ]),
      },
    ];
  });
}
