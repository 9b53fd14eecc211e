import fc from 'fast-check';
import { generate, parser, type Packet } from 'mqtt-packet';
import { createFrameSplitter, type PublishFrame } from '../src/listeners/mqtt/frames';

/** What a splitter did with what came: publishes it took, as the library would read them, and the bytes it handed on. */
function run(
  chunks: readonly Buffer[],
  takes: (frame: PublishFrame) => boolean = () => true,
  admitted = true,
) {
  const tooLong: (number | null)[] = [];
  const taken: { topic: string; payload: string; messageId: number; dup: boolean }[] = [];
  const others: Buffer[] = [];
  let acknowledged = 0;
  const split = createFrameSplitter({
    publish(frame) {
      if (!takes(frame)) return false;
      taken.push({
        topic: frame.bytes.toString('utf8', frame.topicStart, frame.topicEnd),
        payload: frame.bytes.toString('utf8', frame.payloadStart, frame.end),
        messageId: frame.messageId,
        dup: frame.bytes[frame.start] === 0x3a,
      });
      return true;
    },
    admitted: () => admitted,
    tooLong: (messageId) => void tooLong.push(messageId),
    other(bytes, count) {
      others.push(Buffer.from(bytes));
      acknowledged += count;
    },
  });
  for (const chunk of chunks) split(Buffer.from(chunk));
  return { taken, other: Buffer.concat(others), acknowledged, tooLong };
}

/** What the library reads from the same bytes. */
function library(bytes: Buffer): Packet[] {
  const packets: Packet[] = [];
  const reading = parser();
  reading.on('packet', (packet) => packets.push(packet));
  reading.on('error', () => undefined);
  reading.parse(bytes);
  return packets;
}

/** Cuts bytes into pieces at the given places. */
function cut(bytes: Buffer, places: readonly number[]): Buffer[] {
  const ends = [...new Set(places.map((place) => place % (bytes.length + 1)))].sort((a, b) => a - b);
  const pieces: Buffer[] = [];
  let start = 0;
  for (const end of [...ends, bytes.length]) {
    if (end > start) pieces.push(bytes.subarray(start, end));
    start = end;
  }
  return pieces;
}

const topic = fc.constantFrom('moor/a/report', 'moor/a/report/level', 'moor/ä/x', 'a');
const publish = fc
  .record({
    topic,
    payload: fc.string({ maxLength: 300 }),
    qos: fc.constantFrom(0 as const, 1 as const, 2 as const),
    messageId: fc.integer({ min: 1, max: 65_535 }),
    dup: fc.boolean(),
    retain: fc.boolean(),
  })
  .map((one) => ({ cmd: 'publish' as const, ...one, dup: one.qos > 0 && one.dup }));
const packet: fc.Arbitrary<Packet> = fc.oneof(
  { weight: 4, arbitrary: publish as fc.Arbitrary<Packet> },
  { weight: 1, arbitrary: fc.constant({ cmd: 'pingreq' } as Packet) },
  { weight: 1, arbitrary: fc.constant({ cmd: 'puback', messageId: 7 } as Packet) },
  {
    weight: 1,
    arbitrary: topic.map(
      (one) => ({ cmd: 'subscribe', messageId: 9, subscriptions: [{ topic: one, qos: 1 }] }) as Packet,
    ),
  },
);
const sequence = fc.array(packet, { minLength: 1, maxLength: 12 });
const places = fc.array(fc.nat(5000), { maxLength: 40 });
const plain = (one: Packet): boolean => one.cmd === 'publish' && one.qos === 1 && !one.retain;

describe('the splitter ahead of the broker library', () => {
  it('takes exactly the publishes of QoS 1, as the library reads them, wherever the bytes are cut', () => {
    fc.assert(
      fc.property(sequence, places, (packets, where) => {
        const bytes = Buffer.concat(packets.map((one) => generate(one)));
        const { taken } = run(cut(bytes, where));
        const wanted = library(bytes).flatMap((one) =>
          one.cmd === 'publish' && plain(one)
            ? [
                {
                  topic: one.topic,
                  payload: one.payload.toString(),
                  messageId: one.messageId,
                  dup: one.dup,
                },
              ]
            : [],
        );
        expect(taken).toEqual(wanted);
      }),
      { numRuns: 300 },
    );
  });

  it('hands on everything else unchanged and in order', () => {
    fc.assert(
      fc.property(sequence, places, (packets, where) => {
        const bytes = Buffer.concat(packets.map((one) => generate(one)));
        const { other } = run(cut(bytes, where));
        const rest = packets.filter((one) => !plain(one)).map((one) => generate(one));
        expect(other.equals(Buffer.concat(rest))).toBe(true);
      }),
      { numRuns: 300 },
    );
  });

  it('hands on every byte when nothing is taken, and counts what the library will acknowledge', () => {
    fc.assert(
      fc.property(sequence, places, (packets, where) => {
        const bytes = Buffer.concat(packets.map((one) => generate(one)));
        const { other, acknowledged, taken } = run(cut(bytes, where), () => false);
        expect(taken).toEqual([]);
        expect(other.equals(bytes)).toBe(true);
        expect(acknowledged).toBe(packets.filter((one) => one.cmd === 'publish' && one.qos > 0).length);
      }),
      { numRuns: 300 },
    );
  });

  it('gives the library any bytes that are no MQTT, whatever the pieces, up to a packet that is too long', () => {
    fc.assert(
      fc.property(fc.uint8Array({ minLength: 1, maxLength: 400 }), places, (noise, where) => {
        const bytes = Buffer.from(noise);
        const { other, taken, tooLong } = run(cut(bytes, where), () => false);
        expect(taken).toEqual([]);
        // What is held back is the beginning of one frame that has not come whole.
        if (tooLong.length === 0) expect(bytes.subarray(0, other.length).equals(other)).toBe(true);
      }),
    );
  });

  it('drops a publish that is too long unread, asks for its acknowledgement once, and goes on with what follows', () => {
    const publish = (payload: Buffer | string, messageId: number) =>
      generate({
        cmd: 'publish',
        topic: 'moor/a/report',
        payload,
        qos: 1,
        messageId,
        dup: false,
        retain: false,
      });
    const bytes = Buffer.concat([publish(Buffer.alloc(3 * 1024 * 1024, 'x'), 5), publish('{"a":1}', 6)]);
    for (const places of [[], [1], [3, 10], [100, 70_000, 1_500_000], [3 * 1024 * 1024 + 21]]) {
      const { other, taken, tooLong } = run(cut(bytes, places));
      expect(tooLong).toEqual([5]);
      expect(other.length).toBe(0);
      expect(taken.map(({ messageId }) => messageId)).toEqual([6]);
    }
  });

  it('keeps little of somebody who is not known yet, and nothing after a packet that is too long', () => {
    const connect = Buffer.concat([Buffer.from([0x10, 0xff, 0xff, 0xff, 0x7f]), Buffer.alloc(200_000)]);
    const { other, tooLong } = run(cut(connect, [1, 3, 5, 90_000]), () => true, false);
    expect(tooLong).toEqual([null]);
    expect(other.length).toBe(0);
  });
});
