import { shellQuoted, TOKEN_PLACEHOLDER } from './plan';

/** What is known of a message that came: how it was written, and its payload as it is shown. */
export interface SentMessage {
  deviceId: string;
  way: string;
  form: string;
  payload: string;
  size: number;
}

interface Address {
  httpUrl: string;
  host: string;
  mqttPort: number;
}

/**
 * The line that sends a message once more, with curl or mosquitto_pub; null where only a part of it is known, or where
 * it had no body.
 */
export function sendAgainLine(message: SentMessage, { httpUrl, host, mqttPort }: Address): string | null {
  const { deviceId, form, payload } = message;
  if (payload === '' || payload.endsWith('…')) return null;
  const hex =
    /^(?:[0-9a-f]{2} )*[0-9a-f]{2}$/.test(payload) && payload.replaceAll(' ', '').length / 2 === message.size;
  // Octal: the printf of a POSIX shell knows no hexadecimal.
  const octal = (pair: string): string => `\\${Number.parseInt(pair, 16).toString(8).padStart(3, '0')}`;
  const bytes = `printf '${payload.split(' ').map(octal).join('')}'`;
  if (form.startsWith('mqtt ')) {
    const plain = /^mqtt report\/(.+)$/.exec(form)?.[1];
    const topic = `moor/${deviceId}/report${plain === undefined ? '' : `/${plain}`}`;
    const line = `mosquitto_pub -h ${host} -p ${mqttPort} -u ${deviceId} -P ${TOKEN_PLACEHOLDER} -q 1 -t ${quoted(topic)}`;
    return hex ? `${bytes} | ${line} -s` : `${line} -m ${quoted(payload)}`;
  }
  const [type = '', name] = form.split('?name=');
  const address = `${httpUrl}/device/report${name === undefined ? '' : `?name=${encodeURIComponent(name)}`}`;
  const line = `curl -H "Authorization: Bearer ${TOKEN_PLACEHOLDER}" -H ${quoted(`Content-Type: ${type}`)}`;
  return hex
    ? `${bytes} | ${line} --data-binary @- ${quoted(address)}`
    : `${line} --data-binary ${quoted(payload)} ${quoted(address)}`;
}

/** A text for a shell, in quotes where it needs them. */
function quoted(text: string): string {
  return /^[\w./:=?-]+$/.test(text) ? text : shellQuoted(text);
}
