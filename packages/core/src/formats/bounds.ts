import { refusal, type Refusal } from '../readings/refusals';

/** Bytes of one message at the most, once it is known who sends it. */
export const MOST_MESSAGE_BYTES = 1024 * 1024;
/** Values in one message at the most. */
export const MOST_VALUES = 10_000;
/** Levels of objects and lists below each other in a row at the most. */
export const DEEPEST = 8;
/** Parts of a message (names, values, empty rows) beyond which nobody looks what they are. */
const MOST_PARTS = 20 * MOST_VALUES;
/** Cells of a table at the most: empty ones are no values, but have to be read. */
const MOST_CELLS = 5 * MOST_VALUES;

/**
 * Looks at a parsed message before anything else does, level by level and without recursion: refuses what is nested
 * deeper than a row of eight levels in a list, and what has more parts than any message within the bounds.
 */
export function refuseShape(parsed: unknown): Refusal | null {
  let level: object[] = isNested(parsed) ? [parsed] : [];
  let parts = 0;
  for (let depth = 1; level.length > 0; depth++) {
    if (depth > DEEPEST + 1) return tooDeep();
    const next: object[] = [];
    for (const one of level) {
      const inside: unknown[] = Array.isArray(one) ? one : Object.values(one);
      parts += inside.length;
      if (parts > MOST_PARTS) return tooManyParts();
      for (const value of inside) if (isNested(value)) next.push(value);
    }
    level = next;
  }
  return null;
}

/**
 * Walks over the heads of CBOR items (RFC 8949 §3) without making anything of them: refuses what is nested too deep, has
 * too many parts, or promises more than came. Whether the rest is right, the decoder says.
 */
export function refuseCborShape(bytes: Uint8Array): Refusal | null {
  /** Items still to come at each open level; infinite where a break ends it. */
  const open: number[] = [1];
  let place = 0;
  let parts = 0;
  while (open.length > 0) {
    const left = open.at(-1)!;
    if (left === 0) {
      open.pop();
      continue;
    }
    if (place >= bytes.length) return notWhole();
    const head = bytes[place++]!;
    if (head === CBOR_BREAK) {
      if (left !== Infinity) return notWhole();
      open.pop();
      continue;
    }
    open[open.length - 1] = left - 1;
    if (++parts > 2 * MOST_PARTS) return tooManyParts();
    const sort = head >> 5;
    const short = head & 31;
    const wide = short < 24 ? 0 : short < 28 ? 2 ** (short - 24) : 0;
    let count = short < 24 ? short : 0;
    for (let i = 0; i < wide; i++) count = count * 256 + (bytes[place++] ?? 0);
    const endless = short === 31;
    if (sort === 2 || sort === 3) {
      if (endless) open.push(Infinity);
      else place += count;
    } else if (sort === 4 || sort === 5) {
      if (count > bytes.length) return notWhole();
      open.push(endless ? Infinity : sort === 5 ? count * 2 : count);
    } else if (sort === 6) open.push(1);
    if (open.length > DEEPEST + 4) return tooDeep();
  }
  return null;
}

/** Counts the cells of a table without reading it, those within quotation marks as one. */
export function refuseTableSize(text: string): Refusal | null {
  let cells = 1;
  let quoted = false;
  for (let i = 0; i < text.length; i++) {
    const letter = text.charCodeAt(i);
    if (letter === QUOTE) quoted = !quoted;
    else if (!quoted && (letter === COMMA || letter === SEMICOLON || letter === TAB || letter === NEWLINE)) {
      if (++cells > MOST_CELLS)
        return refusal(
          '',
          'too-large',
          `The table has more than ${MOST_CELLS} cells; send it in several messages.`,
        );
    }
  }
  return null;
}

/** Refusal of a message with more values than are taken; null where they are not too many. */
export function refuseCount(count: number): Refusal | null {
  return count <= MOST_VALUES
    ? null
    : refusal(
        '',
        'too-large',
        `More than ${MOST_VALUES} values came in one message. Send them in several messages.`,
      );
}

const CBOR_BREAK = 0xff;
const QUOTE = 0x22;
const COMMA = 0x2c;
const SEMICOLON = 0x3b;
const TAB = 0x09;
const NEWLINE = 0x0a;

function isNested(value: unknown): value is object {
  return value !== null && typeof value === 'object' && !(value instanceof Uint8Array);
}

export function tooDeep(name = ''): Refusal {
  return refusal(name, 'unreadable', `The message is nested more than ${DEEPEST} levels deep.`);
}

function tooManyParts(): Refusal {
  return refusal('', 'too-large', 'The message has more parts than are taken. Send it in several messages.');
}

function notWhole(): Refusal {
  return refusal('', 'unreadable', 'The bytes are not whole CBOR; the message may have been cut off.');
}
