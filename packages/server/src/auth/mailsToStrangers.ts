import type { Store } from '../store/store';
import { createLimits } from './limits';

const DAY_S = 86_400;
/** Mails that people of the service have sent to addresses that did not ask for them, a day. */
const MOST_BY_PERSON = 50;
const MOST_BY_WORKSPACE = 100;

/** Counts a mail to an address that did not ask for it; throws 429 after too many of a person or a workspace in a day. */
export async function countMailToStranger(
  store: Store,
  { userId, workspaceId }: { userId: number; workspaceId: number },
): Promise<void> {
  await createLimits(store).attempt(
    [
      { name: `mails to others by ${userId}`, most: MOST_BY_PERSON, seconds: DAY_S },
      { name: `mails to others of workspace ${workspaceId}`, most: MOST_BY_WORKSPACE, seconds: DAY_S },
    ],
    'have a mail sent to somebody',
  );
}

/** Words of a sender as they stand in such a mail: in quotation marks, in one line, and without anything that could be an address. */
export function asTheirWords(text: string): string {
  const plain = text
    .replace(/[\p{C}\p{Z}]+/gu, ' ')
    .replace(/[“”"]/g, "'")
    .replace(/\S*[.@/:\\\uFF0E\u3002\uFF61]\S*[\p{L}\p{N}]\S*/gu, '…');
  return `“${plain.trim()}”`;
}
