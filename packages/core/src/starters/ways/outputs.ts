import type { PartWay } from '../../parts/index';
import type { Way } from './way';
import { I2C_CPP, I2C_MICROPYTHON } from '../buses/i2c';

type Of<S extends PartWay['sort']> = Extract<PartWay, { sort: S }>;

export const switched: Way<Of<'switch'>> = {
  cpp: (_way, { pins: [pin] }) => ({
    setup: [`pinMode(${pin}, OUTPUT);`],
    lines: [`digitalWrite(${pin}, value != 0 ? HIGH : LOW);`],
  }),
  microPython: (_way, { key, pins: [pin] }) => ({
    beside: [`pin_${key} = machine.Pin(${pin}, machine.Pin.OUT)`],
    lines: [`pin_${key}.value(1 if value else 0)`],
  }),
  computer: (_way, { key, pins: [pin] }) => ({
    imports: ['gpiozero'],
    beside: [`pin_${key} = gpiozero.DigitalOutputDevice(${pin})`],
    lines: [`pin_${key}.value = 1 if value else 0`],
  }),
};

/** A twentieth of a second on one coil; it stays as it is without current. */
export const latch: Way<Of<'latch'>> = {
  cpp: (_way, { pins: [on, off] }) => ({
    setup: [`pinMode(${on}, OUTPUT);`, `pinMode(${off}, OUTPUT);`],
    lines: [
      `int coil = value != 0 ? ${on} : ${off};`,
      'digitalWrite(coil, HIGH);',
      'delay(50);',
      'digitalWrite(coil, LOW);',
    ],
  }),
  microPython: (_way, { key, pins: [on, off] }) => ({
    beside: [`pins_${key} = [machine.Pin(${off}, machine.Pin.OUT), machine.Pin(${on}, machine.Pin.OUT)]`],
    lines: [`coil = pins_${key}[1 if value else 0]`, 'coil.value(1)', 'time.sleep_ms(50)', 'coil.value(0)'],
  }),
  computer: (_way, { key, pins: [on, off] }) => ({
    imports: ['gpiozero'],
    beside: [`pins_${key} = [gpiozero.DigitalOutputDevice(${off}), gpiozero.DigitalOutputDevice(${on})]`],
    lines: [`pins_${key}[1 if value else 0].blink(on_time=0.05, n=1, background=False)`],
  }),
};

export const dim: Way<Of<'dim'>> = {
  cpp: (_way, { pins: [pin] }) => ({ lines: [`analogWrite(${pin}, (int)(value * 2.55));`] }),
  microPython: (_way, { key, pins: [pin] }) => ({
    beside: [`pin_${key} = machine.PWM(machine.Pin(${pin}), freq=1000)`],
    lines: [`pin_${key}.duty_u16(int(value * 655.35))`],
  }),
  computer: (_way, { key, pins: [pin] }) => ({
    imports: ['gpiozero'],
    beside: [`pin_${key} = gpiozero.PWMOutputDevice(${pin})`],
    lines: [`pin_${key}.value = value / 100`],
  }),
};

export const angle: Way<Of<'angle'>> = {
  cpp: (_way, { place, pins: [pin] }) => ({
    setup: [`ledcSetup(${place % 8}, 50, 16);`, `ledcAttachPin(${pin}, ${place % 8});`],
    // Half a millisecond to two and a half, of the twenty between two pulses.
    lines: [`ledcWrite(${place % 8}, (uint32_t)((500 + value / 180 * 2000) / 20000 * 65535));`],
  }),
  microPython: (_way, { key, pins: [pin] }) => ({
    beside: [`pin_${key} = machine.PWM(machine.Pin(${pin}), freq=50)`],
    lines: [`pin_${key}.duty_ns(int(500000 + value / 180 * 2000000))`],
  }),
  computer: (_way, { key, pins: [pin] }) => ({
    imports: ['gpiozero'],
    beside: [`pin_${key} = gpiozero.AngularServo(${pin}, min_angle=0, max_angle=180)`],
    lines: [`pin_${key}.angle = value`],
  }),
};

const turn = (key: string, high: string, low: string, direction: string, wait: string): string[] => [
  `steps = int(value) - place_${key}[0]`,
  direction,
  'for _ in range(abs(steps)):',
  `    ${high}`,
  `    ${wait}`,
  `    ${low}`,
  `    ${wait}`,
  `place_${key}[0] = int(value)`,
];

/** Turns from where it stands to the wanted place, a pulse a step; where it stands is 0 after a start. */
export const steps: Way<Of<'steps'>> = {
  cpp: (_way, { pins: [step, direction] }) => ({
    setup: [`pinMode(${step}, OUTPUT);`, `pinMode(${direction}, OUTPUT);`],
    lines: [
      'static long place = 0;',
      'long steps = (long)value - place;',
      `digitalWrite(${direction}, steps > 0 ? HIGH : LOW);`,
      'for (long i = labs(steps); i > 0; i--) {',
      `  digitalWrite(${step}, HIGH);`,
      '  delay(1);',
      `  digitalWrite(${step}, LOW);`,
      '  delay(1);',
      '}',
      'place = (long)value;',
    ],
  }),
  microPython: (_way, { key, pins: [step, direction] }) => ({
    beside: [
      `step_${key} = machine.Pin(${step}, machine.Pin.OUT)`,
      `direction_${key} = machine.Pin(${direction}, machine.Pin.OUT)`,
      `place_${key} = [0]`,
    ],
    lines: turn(
      key,
      `step_${key}.value(1)`,
      `step_${key}.value(0)`,
      `direction_${key}.value(1 if steps > 0 else 0)`,
      'time.sleep_ms(1)',
    ),
  }),
  computer: (_way, { key, pins: [step, direction] }) => ({
    imports: ['gpiozero'],
    beside: [
      `step_${key} = gpiozero.DigitalOutputDevice(${step})`,
      `direction_${key} = gpiozero.DigitalOutputDevice(${direction})`,
      `place_${key} = [0]`,
    ],
    lines: turn(
      key,
      `step_${key}.on()`,
      `step_${key}.off()`,
      `direction_${key}.value = 1 if steps > 0 else 0`,
      'time.sleep(0.001)',
    ),
  }),
};

/** All lights of a row in one colour, `#rrggbb`. */
export const lights: Way<Of<'lights'>> = {
  cpp: ({ count }, { key, pins: [pin] }) => ({
    includes: ['FastLED.h'],
    libraries: ['fastled/FastLED@3.7.0'],
    beside: [`CRGB lights_${key}[${count}];`],
    setup: [`FastLED.addLeds<WS2812B, ${pin}, GRB>(lights_${key}, ${count});`],
    lines: [
      "long colour = strtol(value.c_str() + (value[0] == '#' ? 1 : 0), nullptr, 16);",
      `for (int i = 0; i < ${count}; i++) lights_${key}[i] = CRGB((uint32_t)colour);`,
      'FastLED.show();',
    ],
  }),
  microPython: ({ count }, { key, pins: [pin] }) => ({
    imports: ['neopixel'],
    beside: [`lights_${key} = neopixel.NeoPixel(machine.Pin(${pin}), ${count})`],
    lines: [
      'colour = int(value.lstrip("#"), 16)',
      `lights_${key}.fill((colour >> 16, colour >> 8 & 255, colour & 255))`,
      `lights_${key}.write()`,
    ],
  }),
  computer: () => null,
};

export const display: Way<Of<'display'>> = {
  cpp: ({ of }, { key, pins: [data, clock] }) =>
    of === 'pixels'
      ? {
          includes: ['U8g2lib.h', 'Wire.h'],
          libraries: ['olikraus/U8g2@2.35.19'],
          beside: [
            `U8G2_SSD1306_128X64_NONAME_F_HW_I2C screen_${key}(U8G2_R0, U8X8_PIN_NONE, ${clock}, ${data});`,
          ],
          setup: [`screen_${key}.begin();`, `screen_${key}.setFont(u8g2_font_7x13_tf);`],
          lines: [
            `screen_${key}.clearBuffer();`,
            'for (int row = 0; row < 4 && row * 18 < (int)value.length(); row++)',
            `  screen_${key}.drawUTF8(0, 14 + row * 15, value.substring(row * 18, (row + 1) * 18 < (int)value.length() ? (row + 1) * 18 : value.length()).c_str());`,
            `screen_${key}.sendBuffer();`,
          ],
        }
      : {
          includes: ['Wire.h'],
          support: [I2C_CPP, CPP_CHARACTERS],
          setup: [`Wire.begin(${data}, ${clock});`, 'startCharacters();'],
          lines: ['showCharacters(value);'],
        },
  microPython: ({ of }, { key, pins: [data, clock] }) => ({
    ...(of === 'pixels' && { imports: ['framebuf'] }),
    support: [I2C_MICROPYTHON, of === 'pixels' ? PYTHON_PIXELS : PYTHON_CHARACTERS],
    beside: [`bus_${key} = i2c_bus(${data}, ${clock})`],
    lines: [`${of === 'pixels' ? 'show_pixels' : 'show_characters'}(bus_${key}, value)`],
  }),
  computer: () => null,
};

const CPP_CHARACTERS = `// A display of two lines of sixteen characters behind an I2C port of eight lines: four for data, light, and three that steer.
void characterHalf(int bits) {
  for (int enable : {4, 0}) i2cWrite(0x27, {(uint8_t)(bits | 8 | enable)});
  delayMicroseconds(50);
}
void characterByte(int value, int isText) {
  characterHalf((value & 0xF0) | isText);
  characterHalf((value << 4 & 0xF0) | isText);
}
void startCharacters() {
  delay(50);
  for (int half : {0x30, 0x30, 0x30, 0x20}) {
    characterHalf(half);
    delay(5);
  }
  for (int order : {0x28, 0x0C, 0x06, 0x01}) characterByte(order, 0);
  delay(2);
}
void showCharacters(const String& text) {
  characterByte(0x01, 0);
  delay(2);
  for (int i = 0; i < 32 && i < (int)text.length(); i++) {
    if (i == 16) characterByte(0xC0, 0);
    characterByte((uint8_t)text[i], 1);
  }
}
`;
const PYTHON_CHARACTERS = `def show_characters(bus, text, address=0x27):
    """Two lines of sixteen characters behind an I2C port of eight lines: four for data, light, and three that steer."""
    def half(bits):
        bus.writeto(address, bytes([bits | 8 | 4]))
        bus.writeto(address, bytes([bits | 8]))
        time.sleep_us(50)

    def send(value, is_text):
        half(value & 0xF0 | is_text)
        half(value << 4 & 0xF0 | is_text)

    for start in (0x30, 0x30, 0x30, 0x20):
        half(start)
        time.sleep_ms(5)
    for order in (0x28, 0x0C, 0x06, 0x01):
        send(order, 0)
    time.sleep_ms(2)
    for i, letter in enumerate(text[:32]):
        if i == 16:
            send(0xC0, 0)
        send(ord(letter) & 255, 1)
`;
const PYTHON_PIXELS = `def show_pixels(bus, text, address=0x3C):
    """A display of 128 by 64 pixels: eight lines of sixteen letters."""
    for order in (0xAE, 0x20, 0, 0x40, 0xA1, 0xA8, 63, 0xC8, 0xD3, 0, 0xDA, 0x12, 0xD5, 0x80, 0xD9, 0xF1,
                  0xDB, 0x30, 0x81, 0xCF, 0xA4, 0xA6, 0x8D, 0x14, 0xAF, 0x21, 0, 127, 0x22, 0, 7):
        bus.writeto(address, bytes([0x80, order]))
    pixels = bytearray(1024)
    page = framebuf.FrameBuffer(pixels, 128, 64, framebuf.MONO_VLSB)
    for row in range(0, min(len(text), 128), 16):
        page.text(text[row:row + 16], 0, row // 2)
    for start in range(0, 1024, 64):
        bus.writeto(address, b"\\x40" + pixels[start:start + 64])
`;
