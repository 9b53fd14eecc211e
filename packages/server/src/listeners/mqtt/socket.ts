import type { Socket } from 'node:net';
import { Duplex } from 'node:stream';
import { createFrameSplitter, type PublishFrame } from './frames';
import { isVersion5, UNSUPPORTED } from './version';

/** Bytes of acknowledgements that may wait before nothing more is read. */
const MOST_ACKS_WAITING = 64 * 1024;

/** A PUBACK is four bytes (MQTT 3.1.1 §3.4). */
const PUBACK = 0x40;

/** A stream under MQTT: a TCP or TLS socket, or a WebSocket made into one. */
export type Transport = Pick<Socket, 'remoteAddress'> & Duplex;

/**
 * What the broker library sees of a connection. Whole publishes of QoS 1 are offered to `onPublish` first, and what it
 * takes never reaches the library; all other bytes do, unchanged.
 */
export class DeviceSocket extends Duplex {
  /** Publishes that are with the library and will be acknowledged by it; meanwhile nothing may overtake them (MQTT-4.6.0-2). */
  inLibrary = 0;
  #onPublish: ((frame: PublishFrame) => boolean) | null = null;
  #onTooLong: (() => void) | null = null;
  /** How many want nothing to be read just now. */
  #paused = 0;
  readonly #transport: Transport;

  /** `onVersion5` is told of a CONNECT of MQTT 5, of which the library hears nothing. */
  constructor(transport: Transport, onVersion5: (connect: Buffer) => void) {
    super({ allowHalfOpen: false });
    this.#transport = transport;
    const split = createFrameSplitter({
      publish: (frame) => this.inLibrary === 0 && this.#onPublish !== null && this.#onPublish(frame),
      other: (bytes, acknowledged) => {
        this.inLibrary += acknowledged;
        if (!this.push(bytes)) transport.pause();
      },
      admitted: () => this.#onPublish !== null,
      tooLong: (messageId) => {
        this.#onTooLong?.();
        if (messageId === null) this.destroy(new Error('a packet is longer than may come'));
        else if (messageId > 0) this.acknowledge([messageId]);
      },
    });
    transport.once('data', (first: Buffer) => {
      if (isVersion5(first)) {
        onVersion5(first);
        transport.end(UNSUPPORTED);
        transport.on('data', () => undefined);
        return;
      }
      transport.on('data', split);
      split(first);
    });
    transport.on('end', () => this.push(null));
    transport.on('error', (error: Error) => this.destroy(error));
    transport.on('close', () => this.destroy());
  }

  get remoteAddress(): string | undefined {
    return this.#transport.remoteAddress;
  }

  /** It is known who sends: longer packets may come, and whole publishes are offered to `onPublish`; `onTooLong` is told of those that are dropped. */
  admitted(onPublish: (frame: PublishFrame) => boolean, onTooLong: () => void): void {
    this.#onPublish = onPublish;
    this.#onTooLong = onTooLong;
  }

  /** Bytes that wait to be read by the other side. */
  get queuedBytes(): number {
    return this.writableLength + this.#transport.writableLength;
  }

  /** Nothing more is read from the network until `resumeReading` was called as often. */
  pauseReading(): void {
    this.#paused++;
    this.#transport.pause();
  }

  resumeReading(): void {
    if (this.#paused > 0) this.#paused--;
    if (this.#paused === 0) this.#transport.resume();
  }

  /** Acknowledges publishes, all in one write. */
  acknowledge(messageIds: readonly number[]): void {
    if (messageIds.length === 0 || this.destroyed || !this.#transport.writable) return;
    const bytes = Buffer.allocUnsafe(messageIds.length * 4);
    for (const [i, id] of messageIds.entries())
      bytes.writeUInt32BE(((PUBACK << 24) | (2 << 16) | id) >>> 0, i * 4);
    this.#transport.write(bytes);
    // A board that does not read its acknowledgements sends no more.
    if (this.#transport.writableLength < MOST_ACKS_WAITING) return;
    this.pauseReading();
    this.#transport.once('drain', () => this.resumeReading());
  }

  override _read(): void {
    if (this.#paused === 0) this.#transport.resume();
  }

  override _write(chunk: Buffer, encoding: BufferEncoding, done: (error?: Error | null) => void): void {
    if (this.#transport.write(chunk, encoding)) done();
    else this.#transport.once('drain', done);
  }

  override _writev(chunks: { chunk: Buffer }[], done: (error?: Error | null) => void): void {
    this._write(Buffer.concat(chunks.map(({ chunk }) => chunk)), 'binary', done);
  }

  override _final(done: () => void): void {
    this.#transport.end(done);
  }

  override _destroy(error: Error | null, done: (error: Error | null) => void): void {
    this.#transport.destroy();
    done(error);
  }
}
