import { crc32, deflateSync } from 'node:zlib';
import { noise } from './signals';

// Taken out of the global once: a picture needs them a million times, and tests look globals up slowly.
const { abs, cos, floor, max, min, round, sin } = Math;

const WIDTH = 320;
const HEIGHT = 200;

/** What the trail camera sees at a time: sky, hill, water, an alder, and now and then a heron. A PNG (W3C PNG, RFC 2083). */
export function cameraPicture(seed: number, at: number): Uint8Array {
  const hour = (at / 3_600_000) % 24;
  const light = 0.25 + 0.75 * max(0, sin(((hour - 6) / 24) * 2 * Math.PI + 0.2));
  const shot = floor(at / 60_000);
  const heron = noise(seed, shot) < 0.4 ? { x: 60 + 180 * noise(seed + 1, shot), y: 128 } : null;
  const rows = Buffer.alloc(HEIGHT * (WIDTH * 3 + 1));
  for (let y = 0; y < HEIGHT; y++)
    for (let x = 0; x < WIDTH; x++) {
      const grain = 10 * noise(seed + shot, y * WIDTH + x) - 5;
      const [r, g, b] = colourAt(x, y, heron);
      const place = y * (WIDTH * 3 + 1) + 1 + x * 3;
      rows[place] = clamp(r * light + grain);
      rows[place + 1] = clamp(g * light + grain);
      rows[place + 2] = clamp(b * (light + 0.08) + grain);
    }
  const header = Buffer.alloc(13);
  header.writeUInt32BE(WIDTH, 0);
  header.writeUInt32BE(HEIGHT, 4);
  header.set([8, 2, 0, 0, 0], 8);
  return Buffer.concat([
    Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]),
    chunk('IHDR', header),
    chunk('IDAT', deflateSync(rows)),
    chunk('IEND', Buffer.alloc(0)),
  ]);
}

function colourAt(x: number, y: number, heron: { x: number; y: number } | null): [number, number, number] {
  const hill = 84 + 14 * sin(x / 47) + 6 * sin(x / 17);
  const trunk = abs(x - 268 - 3 * sin(y / 21)) < 6 && y > 50 && y < 150;
  const crown = (x - 268) ** 2 / 1.4 + (y - 52) ** 2 < 34 ** 2 * (0.8 + 0.2 * sin(x / 3) * cos(y / 4));
  if (heron !== null && isHeron(x - heron.x, y - heron.y)) return [196, 200, 205];
  if (crown) return [70, 84, 46];
  if (trunk) return [58, 46, 38];
  if (y < hill) return [186 - y / 3, 198 - y / 3, 206 - y / 4];
  if (y < 122) return [120, 108, 72];
  if (y < 152) return sin(y * 1.3 + x / 29) > 0.86 ? [150, 166, 172] : [98, 118, 128];
  return [110 + 12 * sin(x / 5), 92 + 8 * sin(x / 7), 58];
}

/** A heron by a few strokes: body, neck, beak and legs, from where it stands. */
function isHeron(x: number, y: number): boolean {
  const body = (x / 12) ** 2 + ((y + 14) / 5) ** 2 < 1;
  const neck = abs(x - 10 - (y + 18) / 4) < 1.6 && y > -38 && y < -15;
  const beak = abs(y + 37) < 1.3 && x > 5 && x < 18;
  const legs = (abs(x + 2) < 0.8 || abs(x - 3) < 0.8) && y > -10 && y < 8;
  return body || neck || beak || legs;
}

const clamp = (value: number): number => max(0, min(255, round(value)));

function chunk(type: string, body: Buffer): Buffer {
  const named = Buffer.concat([Buffer.from(type, 'latin1'), body]);
  const ends = Buffer.alloc(8);
  ends.writeUInt32BE(body.length, 0);
  ends.writeUInt32BE(crc32(named), 4);
  return Buffer.concat([ends.subarray(0, 4), named, ends.subarray(4)]);
}
