import { createBoardBytes, sha256 } from '@peatmoor/contract';
import { putOnBoard, PromptError, type BoardFile, type BoardLine } from '@peatmoor/core';
import { startPrompt, type BoardPrompt } from '../../../test/support/boardPrompt';

let board: BoardPrompt | null = null;
afterEach(async () => {
  await board?.stop();
  board = null;
});

/** A line to a board; `change` may lose or change what is sent to it. */
function lineTo(
  prompt: BoardPrompt,
  change: (bytes: Uint8Array) => Uint8Array = (bytes) => bytes,
): BoardLine {
  const bytes = createBoardBytes();
  prompt.onSent = bytes.take;
  return { write: async (part) => prompt.type(change(part)), read: bytes.read };
}

const file = (path: string, text: string, own = false): BoardFile => ({ path, text, own });
const strange = `quotes ' " \\ and é €, a tab\t, nothing\0 and a line\r\n`.repeat(60);

it('puts files on a board whole, whatever is in them, in folders too, and starts it', async () => {
  board = startPrompt();
  const shares: number[] = [];
  const outcome = await putOnBoard(
    lineTo(board),
    [file('settings.py', strange), file('lib/umqtt/simple.py', 'x = 1\n'), file('empty.py', '')],
    { sumOf: sha256, modules: ['json', 'nowhere'] },
    (share) => shares.push(share),
  );
  expect(outcome).toEqual({
    written: ['settings.py', 'lib/umqtt/simple.py', 'empty.py'],
    kept: [],
    missing: ['nowhere'],
  });
  expect(await board.file('settings.py')).toBe(strange);
  expect(await board.file('lib/umqtt/simple.py')).toBe('x = 1\n');
  expect(await board.file('empty.py')).toBe('');
  expect(shares.at(-1)).toBe(1);
});

it('leaves what is the maker’s own, unless it is to be replaced; interrupts what runs', async () => {
  board = startPrompt({ 'main.py': 'mine' });
  const line = lineTo(board);
  const files = [file('main.py', 'new', true), file('settings.py', 'new')];
  board.type(Buffer.from('half a line that nobody ends ('));
  expect(await putOnBoard(line, files, { sumOf: sha256 })).toMatchObject({
    written: ['settings.py'],
    kept: ['main.py'],
  });
  expect(await board.file('main.py')).toBe('mine');
  expect(await putOnBoard(line, files, { sumOf: sha256, replace: true })).toMatchObject({ kept: [] });
  expect(await board.file('main.py')).toBe('new');
});

it('says what is wrong: nobody answers, letters are lost, the board refuses', async () => {
  const silent: BoardLine = {
    write: async () => undefined,
    read: (withinMs) => new Promise((resolve) => setTimeout(() => resolve(new Uint8Array()), withinMs)),
  };
  await expect(putOnBoard(silent, [file('a.py', 'x')], { sumOf: sha256 })).rejects.toThrow(
    /No MicroPython prompt answers/,
  );
  board = startPrompt();
  const lossy = lineTo(board, (bytes) => Uint8Array.from(bytes, (byte) => (byte === 0x78 ? 0x79 : byte)));
  await expect(putOnBoard(lossy, [file('a.py', 'x'.repeat(100))], { sumOf: sha256 })).rejects.toThrow(
    PromptError,
  );
  await expect(putOnBoard(lineTo(board), [file('.', 'x')], { sumOf: sha256 })).rejects.toThrow(
    /The board says: OSError/,
  );
}, 20_000);
