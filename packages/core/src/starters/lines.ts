import { exampleValue, reported, shellQuoted, TOKEN_PLACEHOLDER, type StarterPlan } from './plan';

/** All that a board needs to connect, as one text for a QR code: an address of our own making, with a query (RFC 3986). */
export function connectionText(
  address: { httpUrl: string; host: string; mqttPort: number },
  deviceId: string,
  token: string,
): string {
  const { httpUrl, host, mqttPort } = address;
  return `peatmoor:connect?${new URLSearchParams({ http: httpUrl, mqtt: `${host}:${mqttPort}`, device: deviceId, token })}`;
}

/** Ready-to-paste lines that send one reading as the device. */
export interface PasteLines {
  curl: string;
  curlGet: string;
  mosquitto: string;
  mosquittoPlain: string;
}

/** Makes the lines with a made-up value of the first reported datastream. */
export function pasteLines(plan: StarterPlan): PasteLines {
  const stream = reported(plan)[0];
  const name = stream?.key ?? 'level';
  const value = stream === undefined ? '1' : exampleValue(stream);
  const token = plan.token ?? TOKEN_PLACEHOLDER;
  const access = `mosquitto_pub -h ${plan.host} -p ${plan.mqttPort} -u ${plan.deviceId} -P ${token} -q 1`;
  const jsonValue =
    stream?.type === 'boolean' ? 'true' : /^-?[\d.]+$/.test(value) ? value : JSON.stringify(value);
  const body = shellQuoted(`{"${name}": ${jsonValue}}`);
  const plain = /^[\w.,+-]+$/.test(value) ? value : shellQuoted(value);
  return {
    curl: `curl -H "Authorization: Bearer ${token}" -H "Content-Type: application/json" -d ${body} ${plan.httpUrl}/device/report`,
    curlGet: `curl "${plan.httpUrl}/device/report?access_token=${token}&${name}=${encodeURIComponent(value)}"`,
    mosquitto: `${access} -t moor/${plan.deviceId}/report -m ${body}`,
    mosquittoPlain: `${access} -t moor/${plan.deviceId}/report/${name} -m ${plain}`,
  };
}
