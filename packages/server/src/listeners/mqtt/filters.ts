/** Letters of a topic filter at the most, and filters of one session. */
export const LONGEST_FILTER = 256;
export const MOST_FILTERS = 100;

/** The topic filters of one session. */
export interface Filters {
  readonly size: number;
  add(filter: string): void;
  delete(filter: string): void;
  has(filter: string): boolean;
  /** True where one of them covers a topic. */
  hear(topic: string): boolean;
  [Symbol.iterator](): Iterator<string>;
}

export function createFilters(): Filters {
  const plain = new Set<string>();
  const wild = new Set<string>();
  const setOf = (filter: string): Set<string> => (/[+#]/.test(filter) ? wild : plain);
  return {
    get size() {
      return plain.size + wild.size;
    },
    add: (filter) => void setOf(filter).add(filter),
    delete: (filter) => void setOf(filter).delete(filter),
    has: (filter) => setOf(filter).has(filter),
    hear(topic) {
      if (plain.has(topic)) return true;
      for (const filter of wild) if (matches(filter, topic)) return true;
      return false;
    },
    *[Symbol.iterator]() {
      yield* plain;
      yield* wild;
    },
  };
}

/** True where an MQTT topic filter covers a topic (MQTT 3.1.1 §4.7). */
export function matches(filter: string, topic: string): boolean {
  const wanted = filter.split('/');
  const parts = topic.split('/');
  for (const [i, part] of wanted.entries()) {
    if (part === '#') return true;
    if (i >= parts.length || (part !== '+' && part !== parts[i])) return false;
  }
  return wanted.length === parts.length;
}

/** True for filters that bring only what is meant for the device below its root, or for a sub-device behind it. */
export function mayHear(root: string, filter: string): boolean {
  if (!filter.startsWith(root)) return false;
  const path = filter.slice(root.length);
  if (/^(for\/[^/]+\/)?(wanted\/[^/]+|refused)$|^for\/[^/]+\/#$/.test(path)) return true;
  const ways = ['wanted/x', 'refused', 'for/x/wanted/x', 'for/x/refused'];
  return ways.some((way) => matches(path, way));
}
