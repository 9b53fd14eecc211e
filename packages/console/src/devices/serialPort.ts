import type { BoardLine } from '@peatmoor/core';
import { createBoardBytes, type BoardBytes } from '@peatmoor/contract';

/** What browsers with Web Serial have (WICG Web Serial API); others have nothing of it. */
interface BrowserPort {
  open(options: { baudRate: number }): Promise<void>;
  close(): Promise<void>;
  readonly readable: ReadableStream<Uint8Array> | null;
  readonly writable: WritableStream<Uint8Array> | null;
}
interface BrowserSerial {
  requestPort(): Promise<BrowserPort>;
}

/** Baud rate of the prompt of nearly every board. */
const SPEED = 115_200;

export const browserSerial = (): BrowserSerial | null =>
  (navigator as unknown as { serial?: BrowserSerial }).serial ?? null;

/** A port of a browser that is open. */
export interface OpenPort extends BoardLine, Pick<BoardBytes, 'follow'> {
  close(): Promise<void>;
}

/** Asks the person which port it is, and opens it. */
export async function openPort(serial: BrowserSerial, onGone: () => void): Promise<OpenPort> {
  const port = await serial.requestPort();
  await port.open({ baudRate: SPEED });
  const reader = port.readable!.getReader();
  const writer = port.writable!.getWriter();
  const bytes = createBoardBytes();
  void (async () => {
    try {
      for (;;) {
        const { value, done } = await reader.read();
        if (done) break;
        bytes.take(value);
      }
    } catch {
      // The cable was pulled out.
    }
    onGone();
  })();
  return {
    write: (part) => writer.write(part),
    read: bytes.read,
    follow: bytes.follow,
    async close() {
      await reader.cancel().catch(() => undefined);
      reader.releaseLock();
      await writer.close().catch(() => undefined);
      writer.releaseLock();
      await port.close().catch(() => undefined);
    },
  };
}
