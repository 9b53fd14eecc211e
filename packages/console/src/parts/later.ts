import { lazy, type ComponentType, type LazyExoticComponent } from 'react';
import { under } from '../base';

/** How long after a file that could not be fetched it is tried again, in ms. */
const AGAIN_MS = 2000;
/** How long the service may take to say that it is there, in ms. */
const REACHED_MS = 5000;
/** A page that was loaded anew for a file is not loaded anew again within this time, in ms. */
const ANEW_MS = 60_000;
const ANEW = 'peatmoor loaded anew';

let missing = 0;
const listeners = new Set<() => void>();
const count = (by: number): void => {
  missing += by;
  for (const listener of listeners) listener();
};

/** Whether a file that is wanted cannot be fetched now. */
export const missingFiles = {
  any: (): boolean => missing > 0,
  subscribe(listener: () => void): () => void {
    listeners.add(listener);
    return () => listeners.delete(listener);
  },
};

/**
 * A file of the console, tried until it is there: meanwhile what stands on the page stays. Where the service answers and
 * the file is gone all the same, the page is of another version than the service: it is loaded anew, once.
 */
export async function untilFetched<T>(fetchFile: () => Promise<T>): Promise<T> {
  try {
    return await fetchFile();
  } catch {
    count(1);
  }
  for (;;) {
    await new Promise((resolve) => setTimeout(resolve, AGAIN_MS));
    try {
      const file = await fetchFile();
      count(-1);
      return file;
    } catch {
      if (await isReached()) loadAnew();
    }
  }
}

async function isReached(): Promise<boolean> {
  const signal = AbortSignal.timeout(REACHED_MS);
  const answer = await fetch(under('/robots.txt'), { cache: 'no-store', signal }).catch(() => null);
  return answer?.ok === true;
}

function loadAnew(): void {
  const last = Number(sessionStorage.getItem(ANEW) ?? 0);
  if (Date.now() - last < ANEW_MS) return;
  sessionStorage.setItem(ANEW, String(Date.now()));
  location.reload();
}

/** A component of a file that is fetched when it is first shown. */
export function later<File, Name extends keyof File>(
  fetchFile: () => Promise<File>,
  name: Name,
): File[Name] extends ComponentType<infer Props> ? LazyExoticComponent<ComponentType<Props>> : never {
  return lazy(() =>
    untilFetched(fetchFile).then((file) => ({ default: file[name] as ComponentType })),
  ) as never;
}
