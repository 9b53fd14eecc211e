/** A serial line to a board. */
export interface BoardLine {
  write(bytes: Uint8Array): Promise<void>;
  /** What came, as soon as something did; nothing where that took longer than so many ms. */
  read(withinMs: number): Promise<Uint8Array>;
}

/** What goes wrong on a board's prompt, with what to do. */
export class PromptError extends Error {}

/** A file for a board. `own` ones are the maker's once they are there. */
export interface BoardFile {
  path: string;
  text: string;
  own: boolean;
}

/** What became of the files, and what is missing on the board. */
export interface PutOnBoard {
  written: string[];
  /** Own files that are on the board and are left as they are. */
  kept: string[];
  /** Modules that the program imports and the board does not have. */
  missing: string[];
}

const INTERRUPT = '\x03';
const RAW = '\x01';
const FRIENDLY = '\x02';
const END = '\x04';
const READY = 'raw REPL; CTRL-B to exit\r\n>';
/** Letters that a board takes without losing some. */
const AT_ONCE = 256;
/** Bytes of a file in one command. */
const PART = 512;
const ANSWER_MS = 5000;
const MOST_HELD = 1_000_000;
const TRIES = 3;

/**
 * Puts files on a board with MicroPython over its raw prompt, looks whether all of them arrived whole, and starts it anew. `modules`
 * are looked for on the board. Throws PromptError where no prompt answers, or the board says that something cannot be.
 */
export async function putOnBoard(
  line: BoardLine,
  files: readonly BoardFile[],
  { sumOf, replace = false, modules = [] }: PutOptions,
  onProgress: (share: number, path: string) => void = () => undefined,
): Promise<PutOnBoard> {
  const prompt = createPrompt(line);
  await prompt.open();
  const there = new Set(
    (await prompt.run(`import os\nprint('\\n'.join(os.listdir()))`)).split(/\r?\n/).filter(Boolean),
  );
  const kept = files.filter(({ own, path }) => own && !replace && there.has(path));
  const written = files.filter((file) => !kept.includes(file));
  const bytes = written.map(({ text }) => new TextEncoder().encode(text));
  const total = bytes.reduce((sum, one) => sum + one.length, 0);
  let done = 0;
  for (const [i, file] of written.entries()) {
    await makeFolders(prompt, file.path);
    await prompt.run(`f=open(${quoted(file.path)},'wb')\nw=f.write`);
    for (let at = 0; at < bytes[i]!.length; at += PART) {
      const part = bytes[i]!.subarray(at, at + PART);
      await prompt.run(`w(${literalOf(part)})`);
      done += part.length;
      onProgress(total === 0 ? 1 : done / total, file.path);
    }
    await prompt.run('f.close()');
    const sum = await prompt.run(
      `import hashlib\nh=hashlib.sha256()\nf=open(${quoted(file.path)},'rb')\nwhile True:\n b=f.read(512)\n if not b:\n  break\n h.update(b)\nf.close()\nprint(''.join('%02x'%x for x in h.digest()))`,
    );
    if (sum.trim() !== (await sumOf(bytes[i]!)))
      throw new PromptError(`${file.path} did not arrive whole. Try again, with a shorter or better cable.`);
  }
  const missing: string[] = [];
  for (const name of modules)
    if ((await prompt.run(`try:\n import ${name}\n print(1)\nexcept ImportError:\n print(0)`)).trim() !== '1')
      missing.push(name);
  await prompt.close();
  return { written: written.map(({ path }) => path), kept: kept.map(({ path }) => path), missing };
}

/** How files are put on a board. */
export interface PutOptions {
  /** SHA-256 of bytes, in hexadecimal. */
  sumOf(bytes: Uint8Array): Promise<string>;
  /** Own files on the board give way too. */
  replace?: boolean;
  modules?: readonly string[];
}

interface Prompt {
  open(): Promise<void>;
  /** Runs a few lines and gives what they printed. */
  run(code: string): Promise<string>;
  /** Back to the prompt for people, and a new start. */
  close(): Promise<void>;
}

function createPrompt(line: BoardLine): Prompt {
  let held = '';
  const send = async (text: string): Promise<void> => {
    const bytes = Uint8Array.from(text, (letter) => letter.charCodeAt(0));
    for (let at = 0; at < bytes.length; at += AT_ONCE) await line.write(bytes.subarray(at, at + AT_ONCE));
  };
  /** What comes ahead of a mark; null where nothing more came for so many ms. */
  const until = async (mark: string, silentMs: number): Promise<string | null> => {
    for (;;) {
      const at = held.indexOf(mark);
      if (at >= 0) {
        const found = held.slice(0, at);
        held = held.slice(at + mark.length);
        return found;
      }
      const bytes = await line.read(silentMs);
      if (bytes.length === 0) return null;
      for (const byte of bytes) held += String.fromCharCode(byte);
      // A board that prints without end is not waited for without end.
      if (held.length > MOST_HELD) return null;
    }
  };
  return {
    async open() {
      for (let i = 0; i < TRIES; i++) {
        // Whatever runs is interrupted, twice, as it may catch the first.
        await send(`\r${INTERRUPT}${INTERRUPT}\r${RAW}`);
        if ((await until(READY, 2000)) !== null) {
          held = '';
          return;
        }
      }
      throw new PromptError(
        'No MicroPython prompt answers on this port. Is MicroPython on the board, is it this port, and does no other program have it open? Press the reset button and try again.',
      );
    },
    async run(code) {
      await send(code + END);
      const answered = await until('OK', ANSWER_MS);
      const printed = answered === null ? null : await until(END, ANSWER_MS);
      const error = printed === null ? null : await until(`${END}>`, ANSWER_MS);
      if (printed === null || error === null)
        throw new PromptError('The board stopped answering. Press its reset button and try again.');
      if (error.trim() !== '') {
        const last = error.trim().split(/\r?\n/).at(-1)!;
        throw new PromptError(
          /^OSError: (28$|\[Errno 28\]|.*ENOSPC)/.test(last)
            ? 'The board has no room left for the files.'
            : `The board says: ${last}`,
        );
      }
      return printed;
    },
    async close() {
      await send(FRIENDLY);
      await until('>>> ', 1000);
      await send(END);
    },
  };
}

async function makeFolders(prompt: Prompt, path: string): Promise<void> {
  const parts = path.split('/').slice(0, -1);
  for (let i = 1; i <= parts.length; i++)
    await prompt.run(
      `import os\ntry:\n os.mkdir(${quoted(parts.slice(0, i).join('/'))})\nexcept OSError:\n pass`,
    );
}

/** A name as a literal that Python reads. */
const quoted = (text: string): string => JSON.stringify(text);

/** Bytes as a literal of Python, plain letters as they are. */
function literalOf(bytes: Uint8Array): string {
  let text = '';
  for (const byte of bytes) {
    const letter = String.fromCharCode(byte);
    text +=
      /[ -~]/.test(letter) && letter !== "'" && letter !== '\\'
        ? letter
        : `\\x${byte.toString(16).padStart(2, '0')}`;
  }
  return `b'${text}'`;
}
