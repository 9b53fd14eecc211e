/** What comes from a board over a serial port: read in parts at first, followed as text afterwards. */
export interface BoardBytes {
  /** Something came. */
  take(bytes: Uint8Array): void;
  /** What came, as soon as something did; nothing where that took longer than so many ms. */
  read(withinMs: number): Promise<Uint8Array>;
  /** All that comes from now on. */
  follow(onText: (text: string) => void): void;
}

export function createBoardBytes(): BoardBytes {
  const parts: Uint8Array[] = [];
  const decoder = new TextDecoder();
  let wake = (): void => undefined;
  let onText: ((text: string) => void) | null = null;
  const bytes: BoardBytes = {
    take(part) {
      if (onText !== null) return onText(decoder.decode(part, { stream: true }));
      parts.push(part);
      wake();
    },
    async read(withinMs) {
      if (parts.length === 0)
        await new Promise<void>((resolve) => {
          const timer = setTimeout(resolve, withinMs);
          wake = () => (clearTimeout(timer), resolve());
        });
      return Uint8Array.from(parts.splice(0).flatMap((one) => [...one]));
    },
    follow(listener) {
      onText = listener;
      for (const part of parts.splice(0)) bytes.take(part);
    },
  };
  return bytes;
}
