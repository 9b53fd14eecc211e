import type { Me } from '@peatmoor/contract';
import { queryClient } from '../api';
import type { Content } from './useDraft';

/** Changes that are not on the service yet, kept in this browser, so that leaving or reloading the page loses none. */
export interface Unsent {
  /** The version that they were made from. */
  version: number;
  content: Content;
  /** When they were kept here, epoch ms. */
  at: number;
}

const TAB = 'peatmoor tab';
/** So long after its last change another tab is taken for closed, in ms; before, it sends its own. */
const LEFT_MS = 10_000;

/** A name for this tab that outlives a reload. */
function tabName(): string {
  const known = sessionStorage.getItem(TAB);
  const name = known ?? Math.random().toString(36).slice(2, 12);
  if (known === null) sessionStorage.setItem(TAB, name);
  return name;
}

/** Each person's own: whoever signs in next in this browser sends nothing of theirs. */
const prefixOf = (id: number): string =>
  `peatmoor unsent ${queryClient.getQueryData<Me>(['me'])?.user.id ?? 0} ${id} `;

/** Keeps what this tab has not sent, or forgets it: never what another tab is about to send. */
export function keepUnsent(id: number, unsent: Omit<Unsent, 'at'> | null): void {
  try {
    const key = prefixOf(id) + tabName();
    if (unsent === null) localStorage.removeItem(key);
    else localStorage.setItem(key, JSON.stringify({ ...unsent, at: Date.now() }));
  } catch {
    // A browser that keeps nothing has the page itself.
  }
}

/** What this tab left unsent, or else what a tab left that is closed; that is this tab's from now on. */
export function readUnsent(id: number): Unsent | null {
  try {
    const own = prefixOf(id) + tabName();
    const left = Object.keys(localStorage)
      .filter((key) => key.startsWith(prefixOf(id)))
      .map((key) => ({ key, unsent: JSON.parse(localStorage.getItem(key)!) as Unsent }))
      .filter(({ key, unsent }) => key === own || Date.now() - unsent.at > LEFT_MS)
      .sort((a, b) => Number(b.key === own) - Number(a.key === own) || b.unsent.at - a.unsent.at);
    const found = left[0];
    if (found === undefined) return null;
    if (found.key !== own) {
      keepUnsent(id, found.unsent);
      localStorage.removeItem(found.key);
    }
    return found.unsent;
  } catch {
    return null;
  }
}
