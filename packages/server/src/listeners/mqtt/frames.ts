/** A whole PUBLISH of QoS 1 without the retain flag, as a place in the bytes that came (MQTT 3.1.1 §3.3). */
export interface PublishFrame {
  bytes: Buffer;
  start: number;
  topicStart: number;
  topicEnd: number;
  messageId: number;
  payloadStart: number;
  end: number;
}

export interface FrameTaker {
  /** Offered each whole PUBLISH of QoS 1; false leaves it to the library. */
  publish(frame: PublishFrame): boolean;
  /** Everything else, unchanged and in order; `acknowledged` of the frames in it are publishes that get an acknowledgement. */
  other(bytes: Buffer, acknowledged: number): void;
  /** True once it is known who sends. */
  admitted(): boolean;
  /**
   * A packet declares more than may come, and nothing of it is kept. Of a PUBLISH by somebody known its acknowledgement is
   * asked for (0 for none), and what follows it goes on; after any other nothing does (null).
   */
  tooLong(messageId: number | null): void;
}

/** First bytes of a PUBLISH of QoS 1, sent first and sent again. */
const PUBLISH_QOS1 = 0x32;
const PUBLISH_QOS1_AGAIN = 0x3a;
const TYPE_PUBLISH = 3;
/** Bytes of a packet before it is known who sends it, of a PUBLISH afterwards (with its topic), and of any other. */
const MOST_BEFORE_ADMISSION = 64 * 1024;
const MOST_PUBLISH = 1024 * 1024 + 70_000;
const MOST_OTHER = 32 * 1024;

/**
 * Splits what a socket brings into MQTT frames and offers whole PUBLISH frames of QoS 1, wherever the pieces were cut.
 * What is not taken, and all else, is handed on byte by byte as it came.
 */
export function createFrameSplitter(taker: FrameTaker): (chunk: Buffer) => void {
  let held: Buffer | null = null;
  /** Bytes of a frame under way that belong to the library. */
  let passing = 0;
  /** Bytes of a packet that is too long: read and dropped. */
  let dropping = 0;
  let broken = false;
  let ended = false;

  return (chunk) => {
    if (ended) return;
    if (broken) return taker.other(chunk, 0);
    let bytes = chunk;
    if (held !== null) {
      bytes = Buffer.concat([held, chunk]);
      held = null;
    }
    let position = Math.min(passing, bytes.length);
    passing -= position;
    let otherStart = 0;
    if (dropping > 0) {
      position = otherStart = Math.min(dropping, bytes.length);
      dropping -= position;
    }
    let acknowledged = 0;
    const handOn = (end: number): void => {
      if (end > otherStart) taker.other(bytes.subarray(otherStart, end), acknowledged);
      acknowledged = 0;
    };
    while (position < bytes.length) {
      // Remaining length: up to four bytes, seven bits each, the lowest first (§2.2.3).
      let length = 0;
      let width = 0;
      let complete = false;
      while (width < 4 && position + 1 + width < bytes.length) {
        const byte = bytes[position + 1 + width]!;
        length += (byte & 127) * 128 ** width;
        width++;
        if (byte < 128) {
          complete = true;
          break;
        }
      }
      if (!complete) {
        if (width === 4) {
          // No MQTT: the library says so.
          broken = true;
          return handOn(bytes.length);
        }
        handOn(position);
        held = bytes.subarray(position);
        return;
      }
      const first = bytes[position]!;
      const body = position + 1 + width;
      const end = body + length;
      const most = !taker.admitted()
        ? MOST_BEFORE_ADMISSION
        : first >> 4 === TYPE_PUBLISH
          ? MOST_PUBLISH
          : MOST_OTHER;
      if (length > most) {
        handOn(position);
        if (!taker.admitted() || first >> 4 !== TYPE_PUBLISH || length < 4) {
          ended = true;
          return taker.tooLong(null);
        }
        const qos = (first >> 1) & 3;
        const idAt = body + 2 < bytes.length ? body + 2 + bytes.readUInt16BE(body) : Infinity;
        if (idAt + 2 > bytes.length) {
          // Its head is at most a topic's length.
          held = bytes.subarray(position);
          return;
        }
        taker.tooLong(qos === 1 ? bytes.readUInt16BE(idAt) : 0);
        position = otherStart = Math.min(end, bytes.length);
        dropping = end - position;
        continue;
      }
      if (first === PUBLISH_QOS1 || first === PUBLISH_QOS1_AGAIN) {
        if (end > bytes.length) {
          handOn(position);
          held = bytes.subarray(position);
          return;
        }
        const topicEnd = length >= 4 ? body + 2 + bytes.readUInt16BE(body) : end;
        // Without a packet identifier it is no MQTT: the library says so.
        if (topicEnd + 2 <= end && bytes.readUInt16BE(topicEnd) !== 0) {
          const frame: PublishFrame = {
            bytes,
            start: position,
            topicStart: body + 2,
            topicEnd,
            messageId: bytes.readUInt16BE(topicEnd),
            payloadStart: topicEnd + 2,
            end,
          };
          handOn(position);
          otherStart = position;
          if (taker.publish(frame)) {
            position = otherStart = end;
            continue;
          }
        }
        acknowledged++;
      } else if (first >> 4 === TYPE_PUBLISH && (first & 6) !== 0) acknowledged++;
      position = Math.min(end, bytes.length);
      passing = end - position;
    }
    handOn(bytes.length);
  };
}
