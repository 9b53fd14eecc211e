import { execFileSync } from 'node:child_process';
import fs from 'node:fs';
import tty from 'node:tty';
import { promisify } from 'node:util';
import type { BoardLine } from '@peatmoor/core';
import { createBoardBytes, type BoardBytes } from '@peatmoor/contract';
import { UsageError } from './settings';

/** Baud rate of the prompt of nearly every board. */
const SPEED = 115_200;

/** A serial port that is open. */
export interface OpenPort extends BoardLine, Pick<BoardBytes, 'follow'> {
  close(): Promise<void>;
}

interface Raw {
  write(bytes: Uint8Array): Promise<void>;
  onData(listener: (bytes: Buffer) => void): void;
  close(): Promise<void>;
}

/** Ports that a board may be on, as far as this computer can tell. */
export async function listPorts(): Promise<string[]> {
  try {
    const { SerialPort } = await import('serialport');
    const ports = await SerialPort.list();
    return ports.filter(({ vendorId }) => vendorId !== undefined).map(({ path }) => path);
  } catch {
    const folder = '/dev/serial/by-id';
    return fs.existsSync(folder) ? fs.readdirSync(folder).map((name) => `${folder}/${name}`) : [];
  }
}

/** Opens a port. Says in plain words why it cannot be. */
export async function openPort(path: string): Promise<OpenPort> {
  let raw: Raw;
  try {
    raw = await byLibrary(path).catch((error: NodeJS.ErrnoException) => {
      if (error.code !== 'ERR_MODULE_NOT_FOUND' && error.code !== 'MODULE_NOT_FOUND') throw error;
      return bySystem(path);
    });
  } catch (error) {
    throw new UsageError(whyNot(path, (error as Error).message));
  }
  const bytes = createBoardBytes();
  raw.onData((part) => bytes.take(part));
  return { write: raw.write, read: bytes.read, follow: bytes.follow, close: raw.close };
}

async function byLibrary(path: string): Promise<Raw> {
  const { SerialPort } = await import('serialport');
  const port = new SerialPort({ path, baudRate: SPEED, autoOpen: false });
  await new Promise<void>((resolve, reject) => port.open((error) => (error ? reject(error) : resolve())));
  return {
    write: (bytes) =>
      new Promise((resolve, reject) => {
        port.write(Buffer.from(bytes), (error) => error && reject(error));
        port.drain((error) => (error ? reject(error) : resolve()));
      }),
    onData: (listener) => void port.on('data', listener),
    close: () => new Promise((resolve) => port.close(() => resolve())),
  };
}

const writeTo = promisify(fs.write);

/** The way of POSIX: the port is a file, and stty sets its speed. */
async function bySystem(path: string): Promise<Raw> {
  const flag = process.platform === 'darwin' ? '-f' : '-F';
  execFileSync('stty', [flag, path, String(SPEED), 'raw', '-echo', '-hupcl'], {
    stdio: ['ignore', 'ignore', 'pipe'],
  });
  const handle = fs.openSync(path, fs.constants.O_RDWR | fs.constants.O_NOCTTY);
  const reading = new tty.ReadStream(handle);
  return {
    async write(bytes) {
      // A system may take less at once than it is given.
      for (let at = 0; at < bytes.length;) at += (await writeTo(handle, bytes, at)).bytesWritten;
    },
    onData: (listener) => void reading.on('data', listener),
    close: async () => void reading.destroy(),
  };
}

function whyNot(path: string, message: string): string {
  if (/No such file|ENOENT|cannot find/i.test(message))
    return `There is no port ${path}. Is the board plugged in, with a cable that carries data? See: peatmoor device ports`;
  if (/permission|EACCES|access denied/i.test(message))
    return `${path} may not be opened by you. On Linux: sudo usermod -a -G dialout "$USER", then sign in anew.`;
  if (/busy|lock|EBUSY/i.test(message))
    return `${path} is open in another program. Close its terminal or editor and try again.`;
  return `${path} cannot be opened: ${message}`;
}
