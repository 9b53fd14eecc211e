import { inspectToken } from '../devices/token';
import { foldName, indexNames } from '../readings/names';
import type { Datastream } from '../readings/types';

/** What a program's text is compared with. */
export interface ProgramFacts {
  deviceId: string;
  /** Host names or addresses by which a board reaches the service. */
  hosts: readonly string[];
  streams: readonly Datastream[];
  /** Fingerprints of the device's tokens that are in use. */
  fingerprints: readonly string[];
}

/** Something found in a program's text: as it should be, or to be looked at. */
export interface Finding {
  line: number;
  /** The words of the program it is about. */
  about: string;
  state: 'right' | 'wrong' | 'look';
  says: string;
}

const MOST_FINDINGS = 200;
const LOOPBACK = /^(localhost|127\.\d+\.\d+\.\d+|::1|0\.0\.0\.0)$/i;

/**
 * Compares a program's text with what the service knows, before it is flashed: names in quotes against the kind,
 * topics against the device ID, addresses, and tokens by their fingerprint. Finds nothing in what it does not know.
 */
export function checkProgram(text: string, facts: ProgramFacts): Finding[] {
  const index = indexNames(facts.streams);
  const findings: Finding[] = [];
  const seen = new Set<string>();
  const used = new Set<string>();
  const add = (line: number, about: string, state: Finding['state'], says: string): void => {
    if (findings.length >= MOST_FINDINGS || seen.has(`${about} ${says}`)) return;
    seen.add(`${about} ${says}`);
    findings.push({ line, about, state, says });
  };
  for (const [i, words] of text.split(/\r?\n/).entries()) {
    const line = i + 1;
    for (const quoted of literalsOf(words)) {
      for (const token of quoted.match(/\bmoor[0-9a-z]{6,}\b/gi) ?? []) checkToken(token, facts, line, add);
      for (const [whole, id, path] of quoted.matchAll(/\bmoor\/([^/"'\s]+)\/?([^"'\s]*)/gi))
        checkTopic(whole, id!, path!, facts, index, line, add, used);
      for (const [, host] of quoted.matchAll(/\b(?:https?|mqtts?|wss?):\/\/([^/:"'\s]+)/gi))
        checkHost(host!, facts, line, add);
      if (LOOPBACK.test(quoted) || /^\d{1,3}(\.\d{1,3}){3}$/.test(quoted))
        checkHost(quoted, facts, line, add);
      for (const name of namesOf(quoted)) checkName(name, index, line, add, used);
    }
  }
  for (const stream of facts.streams)
    if (!used.has(stream.key) && stream.computation === null)
      add(0, stream.key, 'look', `“${stream.title}” of the kind is not named in this text.`);
  return findings;
}

type Add = (line: number, about: string, state: Finding['state'], says: string) => void;
type Index = ReturnType<typeof indexNames<Datastream>>;

/** What stands in quotes on a line; escaped quotes (JSON inside a C string) count as quotes of their own. */
function literalsOf(line: string): string[] {
  const plain = line.replaceAll('\\"', '\u0001');
  const found = [...plain.matchAll(/"([^"]*)"|'([^']*)'|`([^`]*)`/g)].map(
    (match) => match[1] ?? match[2] ?? match[3] ?? '',
  );
  return found.map((one) => one.replaceAll('\u0001', '"'));
}

/** Names that a literal carries: keys of JSON within it, names of a query, or the literal itself where it is one word. */
function namesOf(quoted: string): string[] {
  const json = [...quoted.matchAll(/"([^"]{1,60})"\s*:/g)].map(([, name]) => name!);
  const query = [...quoted.matchAll(/[?&]([a-z][\w-]{0,39})=/gi)].map(([, name]) => name!);
  const word = /^[a-z][a-z0-9 _-]{0,39}$/i.test(quoted) ? [quoted] : [];
  return [...json, ...query, ...word];
}

function checkName(name: string, index: Index, line: number, add: Add, used: Set<string>): void {
  const stream = index.find(name);
  if (stream !== undefined) {
    used.add(stream.key);
    return add(line, name, 'right', `is the datastream “${stream.title}”.`);
  }
  const nearest = index.nearest(name);
  // One word that is far from every name is not a name at all.
  if (nearest !== undefined && foldName(name).length > 2)
    add(line, name, 'wrong', `is not a datastream; the nearest is "${nearest}".`);
}

function checkToken(token: string, { fingerprints }: ProgramFacts, line: number, add: Add): void {
  const shape = inspectToken(token);
  const shown = `${token.slice(0, 10)}…`;
  if (shape.state === 'not-a-token') return;
  if (shape.state !== 'whole')
    return add(line, shown, 'wrong', `is a ${shape.state} token: copy the whole one again.`);
  if (fingerprints.includes(shape.fingerprint))
    return add(line, shown, 'right', 'is a token of this device.');
  add(line, shown, 'wrong', 'is not a token of this device that is in use.');
}

function checkTopic(
  whole: string,
  id: string,
  path: string,
  { deviceId }: ProgramFacts,
  index: Index,
  line: number,
  add: Add,
  used: Set<string>,
): void {
  // The device ID may be put in by the program itself.
  if (/[%{}$+#]/.test(id)) return;
  if (id !== deviceId)
    return add(line, whole, 'wrong', `is the topic of "${id}"; this device is "${deviceId}".`);
  const [verb, name] = path.split('/');
  if (
    verb !== '' &&
    !['report', 'wanted', 'applied', 'raise', 'clear', 'about', 'refused', 'for'].includes(verb!)
  )
    return add(
      line,
      whole,
      'wrong',
      `has no meaning: after the device come report, wanted, applied, raise, clear, about or refused.`,
    );
  if (name && ['report', 'wanted', 'applied'].includes(verb!) && !/[%{}$+#]/.test(name))
    return checkName(name, index, line, add, used);
  add(line, whole, 'right', 'is a topic of this device.');
}

function checkHost(host: string, { hosts }: ProgramFacts, line: number, add: Add): void {
  if (/[%{}$]/.test(host)) return;
  if (LOOPBACK.test(host))
    return add(
      line,
      host,
      'wrong',
      `means the board itself; this service is at ${hosts[0] ?? 'another address'}.`,
    );
  if (hosts.includes(host)) return add(line, host, 'right', 'is the address of this service.');
  add(line, host, 'look', `is another address than that of this service (${hosts.join(', ')}).`);
}
