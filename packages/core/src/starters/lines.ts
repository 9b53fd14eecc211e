import { exampleValue, reported, TOKEN_PLACEHOLDER, type StarterPlan } from './plan';

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
  return {
    curl: `curl -H "Authorization: Bearer ${token}" -H "Content-Type: application/json" -d '{"${name}": ${jsonValue}}' ${plan.httpUrl}/device/report`,
    curlGet: `curl "${plan.httpUrl}/device/report?access_token=${token}&${name}=${value}"`,
    mosquitto: `${access} -t moor/${plan.deviceId}/report -m '{"${name}": ${jsonValue}}'`,
    mosquittoPlain: `${access} -t moor/${plan.deviceId}/report/${name} -m ${value}`,
  };
}
