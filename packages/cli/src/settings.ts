import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { createClient, type Client } from '@peatmoor/contract';

/** What sign-in keeps for later commands. */
export interface Settings {
  url: string;
  key: string;
  keyId: number;
  email: string;
}

/** The command was used in a wrong way; exit code 2. */
export class UsageError extends Error {}

/** Where the settings are: PEATMOOR_CLI_CONFIG, else the user's configuration folder. */
export function settingsFile(): string {
  const folder = process.env.XDG_CONFIG_HOME ?? path.join(os.homedir(), '.config');
  return process.env.PEATMOOR_CLI_CONFIG ?? path.join(folder, 'peatmoor', 'cli.json');
}

export function readSettings(): Settings | null {
  try {
    return JSON.parse(fs.readFileSync(settingsFile(), 'utf8')) as Settings;
  } catch {
    return null;
  }
}

export function keepSettings(settings: Settings): void {
  fs.mkdirSync(path.dirname(settingsFile()), { recursive: true, mode: 0o700 });
  fs.writeFileSync(settingsFile(), JSON.stringify(settings), { mode: 0o600 });
}

export function forgetSettings(): void {
  fs.rmSync(settingsFile(), { force: true });
}

/** The settings of the signed-in user, or a sentence that says how to sign in. */
export function signedIn(): Settings {
  const settings = readSettings();
  if (settings === null)
    throw new UsageError(
      'You are not signed in. Run: peatmoor sign-in --url http://… --email you@example.org',
    );
  return settings;
}

export function signedInClient(): Client {
  const { url, key } = signedIn();
  return createClient({
    baseUrl: url,
    headers: { authorization: `Bearer ${key}` },
    fetch: (input, init) => withWord(fetch(input, init)),
  });
}

/** On a terminal, says after a second that something is still waited for; the line goes away when it has come. */
export async function withWord<T>(work: Promise<T>, what = 'the service'): Promise<T> {
  if (!process.stderr.isTTY) return work;
  let seconds = 0;
  const timer = setInterval(
    () => process.stderr.write(`\r\u001b[Kwaiting for ${what} … ${++seconds} s`),
    1000,
  );
  try {
    return await work;
  } finally {
    clearInterval(timer);
    if (seconds > 0) process.stderr.write('\r\u001b[K');
  }
}
