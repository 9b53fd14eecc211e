import { TOKEN_PLACEHOLDER } from './plan';

/** Settings that the service knows better; all else in a settings file is its maker's. */
const OURS = new Set([
  'MQTT_HOST',
  'MQTT_PORT',
  'SERVICE_URL',
  'ADDRESS',
  'SERVICE_NAME',
  'LOCAL_NAME',
  'DEVICE_ID',
  'DEVICE_TOKEN',
  'CLAIM_SECRET',
  'FIRST_INTERVAL_S',
  'KEEP',
]);
/** A line that sets one thing, in any of the languages: what stands before, the name, what is between, the value, what follows. */
const LINE =
  /^(\s*(?:#define\s+|export\s+const\s+|const\s+)?)([A-Z][A-Z0-9_]*)(\s*=\s*|\s+)("(?:[^"\\]|\\.)*"|'(?:[^']|'\\'')*'|[\w.-]+)(.*)$/;

const isEmpty = (value: string): boolean =>
  value === '""' || value === "''" || value.includes(TOKEN_PLACEHOLDER);

/** The values of a settings file by their names, as they are written. */
function settingsIn(text: string): Map<string, string> {
  return new Map(
    text.split('\n').flatMap((line) => {
      const found = LINE.exec(line);
      return found === null ? [] : [[found[2]!, found[4]!] as const];
    }),
  );
}

/**
 * A settings file made anew over the one there is: what its maker filled in stays (Wi-Fi, pins, a token that the new one does
 * not know), and what the service knows better is new. A token stays only with the device it is of.
 */
export function keepSettings(fresh: string, there: string): string {
  const [had, has] = [settingsIn(there), settingsIn(fresh)];
  const isSameDevice = had.get('DEVICE_ID') === has.get('DEVICE_ID');
  return fresh
    .split('\n')
    .map((line) => {
      const [, before, name, between, value, rest] = LINE.exec(line) ?? [];
      const old = name === undefined ? undefined : had.get(name);
      if (old === undefined || isEmpty(old) || value === undefined || old === value) return line;
      if (OURS.has(name!) && !(isEmpty(value) && (name !== 'DEVICE_TOKEN' || isSameDevice))) return line;
      return `${before}${name}${between}${old}${rest!.replace(/\s*(\/\/|#) <- .*$/, '')}`;
    })
    .join('\n');
}
