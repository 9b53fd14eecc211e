import type { Me } from '@peatmoor/contract';
import { queryClient } from '../api';
import type { Content } from './useDraft';

/** Changes that are not on the service yet, kept in this browser, so that leaving or reloading the page loses none. */
export interface Unsent {
  /** The version that they were made from. */
  version: number;
  content: Content;
}

/** Each person's own: whoever signs in next in this browser sends nothing of theirs. */
const keyOf = (id: number): string =>
  `peatmoor unsent ${queryClient.getQueryData<Me>(['me'])?.user.id ?? 0} ${id}`;

export function keepUnsent(id: number, unsent: Unsent | null): void {
  try {
    if (unsent === null) localStorage.removeItem(keyOf(id));
    else localStorage.setItem(keyOf(id), JSON.stringify(unsent));
  } catch {
    // A browser that keeps nothing has the page itself.
  }
}

export function readUnsent(id: number): Unsent | null {
  try {
    return JSON.parse(localStorage.getItem(keyOf(id)) ?? 'null') as Unsent | null;
  } catch {
    return null;
  }
}
