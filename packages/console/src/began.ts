import { BEGAN_ID, type Began } from '@peatmoor/contract';

const text = document.getElementById(BEGAN_ID)?.textContent ?? null;
/** What the service knew when it sent the page; null where the page was kept by the browser, or is everybody's. */
const began = text === null ? null : (JSON.parse(text) as Began);
/** True where the page was sent with what it shows first. */
export const hasBegun = began !== null && began.answers.length > 0;
/** True where the service knew that nobody is signed in. */
export const isNobody = began !== null && began.answers.length === 0;

const nameOf = (name: string, input: object | null): string => JSON.stringify([name, input]);
const answers = new Map((began?.answers ?? []).map(([name, input, answer]) => [nameOf(name, input), answer]));
/** An answer that nobody asked for by then is old, in ms. */
const FRESH_MS = 20_000;
setTimeout(() => answers.clear(), FRESH_MS);

/** The answer that came with the page, once: whoever asks again asks the service. */
export function takeBegun(name: string, input: object | undefined): unknown {
  const key = nameOf(name, input ?? null);
  const answer = answers.get(key);
  answers.delete(key);
  return answer;
}
