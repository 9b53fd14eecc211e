/** What a browser keeps for this service. In a frame that may keep nothing, nothing is kept, and nothing fails. */
export const kept = {
  read(name: string): string | null {
    try {
      return localStorage.getItem(name);
    } catch {
      return null;
    }
  },
  write(name: string, text: string): void {
    try {
      localStorage.setItem(name, text);
    } catch {
      // Not allowed here, or full.
    }
  },
};
