import path from 'node:path';
import { Worker } from 'node:worker_threads';

/** The prompt of a board with MicroPython: bytes in, bytes out, and what is in its files. */
export interface BoardPrompt {
  /** What the board sends is given to whoever listens. */
  onSent: (bytes: Buffer) => void;
  type(bytes: Uint8Array): void;
  /** The text of a file on the board; null where there is none. */
  file(name: string): Promise<string | null>;
  stop(): Promise<void>;
}

/** The real MicroPython with its prompt, in a thread of its own. */
export function startPrompt(files: Record<string, string> = {}): BoardPrompt {
  const worker = new Worker(path.join(__dirname, 'board/prompt.mjs'), { workerData: { files } });
  const asked = new Map<number, (text: string | null) => void>();
  let count = 0;
  const prompt: BoardPrompt = {
    onSent: () => undefined,
    type: (bytes) => worker.postMessage({ typed: Buffer.from(bytes).toString('latin1') }),
    file: (name) =>
      new Promise((resolve) => {
        asked.set(++count, resolve);
        worker.postMessage({ file: name, count });
      }),
    stop: async () => void (await worker.terminate()),
  };
  worker.on('message', (message: { sent?: string; count?: number; text?: string | null }) => {
    if (message.sent !== undefined) prompt.onSent(Buffer.from(message.sent, 'latin1'));
    else asked.get(message.count!)?.(message.text ?? null);
  });
  return prompt;
}
