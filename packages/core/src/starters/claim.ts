import { literal, type StarterFile, type StarterPlan } from './plan';

/** Files by which a program on a small computer claims its device at first contact; none where the plan has no claim. */
export function claimFile(plan: StarterPlan, file: StarterFile): StarterFile[] {
  return plan.claim === undefined ? [] : [file];
}

/** The lines of a Python settings file that say who the device is: its ID and token, or how it claims them. */
export function pythonIdentity(plan: StarterPlan, more = ''): string {
  if (plan.claim === undefined) return '';
  return `from claim import claimed

SERVICE_URL = ${literal(plan.httpUrl)}
CLAIM_SECRET = ${literal(plan.claim.secret)}
DEVICE_ID, DEVICE_TOKEN = claimed(SERVICE_URL, CLAIM_SECRET${more})
`;
}

/** claim.py for a computer: standard library only. */
export const PYTHON_CLAIM = `"""One program for many: at first contact each fetches its own device and token, and keeps them in device.json."""
import json
import os
import time
import urllib.error
import urllib.request
import uuid

KEPT = os.path.join(os.path.dirname(os.path.abspath(__file__)), "device.json")


def serial():
    return os.environ.get("BOARD_SERIAL") or "%012x" % uuid.getnode()


def claimed(url, secret):
    if os.path.exists(KEPT):
        with open(KEPT) as file:
            kept = json.load(file)
        return kept["device"], kept["token"]
    wait = 1
    while True:
        try:
            body = json.dumps({"serial": serial()}).encode()
            request = urllib.request.Request(url + "/device/claim", body, {"Authorization": "Bearer " + secret})
            with urllib.request.urlopen(request, timeout=15) as answer:
                kept = json.load(answer)
            with open(KEPT, "w") as file:
                os.chmod(KEPT, 0o600)
                json.dump(kept, file)
            print("claimed: this is %s" % kept["device"], flush=True)
            return kept["device"], kept["token"]
        except urllib.error.HTTPError as error:
            print("claim refused (%d): %s" % (error.code, error.read().decode("utf-8", "replace")), flush=True)
        except OSError as error:
            print("claim: %s, trying again" % error, flush=True)
        time.sleep(wait)
        wait = min(60, wait * 2)
`;

/** claim.py for a board with MicroPython. */
export const MICROPYTHON_CLAIM = `# One program for many boards: at first contact each fetches its own device and token, and keeps them in device.json.
# Library: requests (on the board's prompt: import mip; mip.install("requests")).
import binascii
import json
import time

import machine
import network

from wifi import SetupPage, known_wifi


def claimed(url, secret, wifi_name, wifi_password):
    try:
        with open("device.json") as file:
            kept = json.load(file)
        return kept["device"], kept["token"]
    except OSError:
        pass
    page = None
    while known_wifi(wifi_name, wifi_password) is None:
        page = page or SetupPage()
        page.look()
        time.sleep_ms(100)
    wifi_name, wifi_password = known_wifi(wifi_name, wifi_password)
    station = network.WLAN(network.STA_IF)
    station.active(True)
    wait = 1
    while True:
        try:
            if not station.isconnected():
                print("Wi-Fi: connecting to", wifi_name)
                station.connect(wifi_name, wifi_password)
                for _ in range(40):
                    if station.isconnected():
                        break
                    time.sleep(0.5)
            import requests

            serial = binascii.hexlify(machine.unique_id()).decode()
            answer = requests.post(url + "/device/claim", headers={"Authorization": "Bearer " + secret},
                                   data=json.dumps({"serial": serial}))
            if answer.status_code in (200, 201):
                kept = answer.json()
                with open("device.json", "w") as file:
                    json.dump(kept, file)
                print("claimed: this board is", kept["device"])
                return kept["device"], kept["token"]
            print("claim refused", answer.status_code, answer.text)
        except OSError as error:
            print("claim:", error, "trying again")
        time.sleep(wait)
        wait = min(60, wait * 2)
`;

/** claim.mjs for Node. */
export const NODE_CLAIM = `// One program for many: at first contact each fetches its own device and token, and keeps them in device.json.
import fs from 'node:fs';
import os from 'node:os';
import { setTimeout as sleep } from 'node:timers/promises';
import { ask } from './link.mjs';

const KEPT = new URL('./device.json', import.meta.url);

function serial() {
  const macs = Object.values(os.networkInterfaces()).flat().map(({ mac }) => mac);
  return process.env.BOARD_SERIAL ?? macs.find((mac) => mac !== '00:00:00:00:00:00') ?? os.hostname();
}

export async function claimed(url, secret) {
  if (fs.existsSync(KEPT)) return JSON.parse(fs.readFileSync(KEPT, 'utf8'));
  for (let waitMs = 1000; ; waitMs = Math.min(60_000, waitMs * 2)) {
    try {
      const response = await ask(\`\${url}/device/claim\`, {
        method: 'POST',
        headers: { authorization: \`Bearer \${secret}\` },
        body: JSON.stringify({ serial: serial() }),
        signal: AbortSignal.timeout(15_000),
      });
      const answer = await response.json();
      if (response.ok) {
        fs.writeFileSync(KEPT, JSON.stringify(answer), { mode: 0o600 });
        console.log(\`claimed: this is \${answer.device}\`);
        return answer;
      }
      console.log(\`claim refused (\${response.status}): \${answer.refused?.[0]?.hint ?? ''}\`);
    } catch (error) {
      console.log(\`claim: \${error.cause?.message ?? error.message}, trying again\`);
    }
    await sleep(waitMs);
  }
}
`;

/** claim.sh for a shell with curl; read by settings.sh, which has set SERVICE_URL and CLAIM_SECRET. */
export const SHELL_CLAIM = `# One program for many: at first contact each fetches its own device and token, and keeps them in device.json.
serial=\${BOARD_SERIAL:-$(cat /etc/machine-id 2>/dev/null || hostname)}
claim_wait=1
while [ ! -s device.json ]; do
  answer=$(printf 'header = "Authorization: Bearer %s"\\n' "$CLAIM_SECRET" |
    curl --silent --show-error --max-time 20 --config - --data "{\\"serial\\": \\"$serial\\"}" "$SERVICE_URL/device/claim" 2>&1)
  case "$answer" in
    *'"token":'*) (umask 077; printf '%s' "$answer" > device.json) ;;
    *) echo "claim: $answer"; sleep "$claim_wait"; claim_wait=$((claim_wait < 60 ? claim_wait * 2 : 60)) ;;
  esac
done
DEVICE_ID=$(sed -n 's/.*"device":"\\([^"]*\\)".*/\\1/p' device.json)
DEVICE_TOKEN=$(sed -n 's/.*"token":"\\([^"]*\\)".*/\\1/p' device.json)
`;

/** The block of a C++ program that claims over Wi-Fi or a modem; empty where the plan has no claim. */
export function cppClaim(
  plan: StarterPlan,
  cellular: boolean,
): { includes: string[]; code: string; check: string } {
  if (plan.claim === undefined) return { includes: [], code: '', check: '' };
  const code = CPP_CLAIM.replace('ASK', cellular ? CPP_ASK_MODEM : CPP_ASK_WIFI).replace(
    'SERIAL',
    cellular ? 'modem.getIMEI()' : 'WiFi.macAddress()',
  );
  return {
    includes: cellular ? ['Preferences.h'] : ['HTTPClient.h', 'Preferences.h'],
    code,
    check: 'identityKnown() && ',
  };
}

const CPP_CLAIM = `// One program for many boards: at first contact each fetches its own device and token with its serial, and keeps them.
String textOf(const String& json, const char* key) {
  String mark = String("\\"") + key + "\\":\\"";
  int start = json.indexOf(mark);
  if (start < 0) return String("");
  start += mark.length();
  int end = start;
  while (end < (int)json.length() && json[end] != '"') end++;
  return json.substring(start, end);
}

ASK
bool identityKnown() {
  if (deviceToken.length() > 0) return true;
  Preferences kept;
  kept.begin("device", false);
  deviceId = kept.getString("id", "");
  deviceToken = kept.getString("token", "");
  if (deviceToken.length() == 0 && mayTry()) {
    String answer;
    int status = askForDevice(String("{\\"serial\\":\\"") + SERIAL + "\\"}", answer);
    if (status == 200 || status == 201) {
      deviceId = textOf(answer, "device");
      deviceToken = textOf(answer, "token");
      kept.putString("id", deviceId);
      kept.putString("token", deviceToken);
    } else {
      Serial.println(String("claim refused or not reached (") + String(status) + ") " + answer);
      tryLater();
    }
  }
  kept.end();
  if (deviceToken.length() > 0) Serial.println(String("This board is ") + deviceId);
  return deviceToken.length() > 0;
}
`;

const CPP_ASK_WIFI = `int askForDevice(const String& body, String& answer) {
  HTTPClient http;
  http.setTimeout(15000);
  beginCall(http, serviceUrl() + "/device/claim");
  http.addHeader("Authorization", String("Bearer ") + CLAIM_SECRET);
  int status = http.sendRequest("POST", body);
  answer = status > 0 ? http.getString() : String("");
  http.end();
  return status;
}
`;

/** A modem's library has no HTTP: one call is written out (RFC 9112). */
const CPP_ASK_MODEM = `int askForDevice(const String& body, String& answer) {
  String url = SERVICE_URL;
  String place = url.substring(url.indexOf("://") + 3);
  int slash = place.indexOf("/");
  String under = slash < 0 ? String("") : place.substring(slash);
  if (slash >= 0) place = place.substring(0, slash);
  int colon = place.indexOf(":");
  String host = colon < 0 ? place : place.substring(0, colon);
  int port = colon < 0 ? 80 : atoi(place.substring(colon + 1).c_str());
  if (!network.connect(host.c_str(), port)) return -1;
  network.print(String("POST ") + under + "/device/claim HTTP/1.1\\r\\nHost: " + host + "\\r\\nAuthorization: Bearer " + CLAIM_SECRET +
                "\\r\\nContent-Type: application/json\\r\\nConnection: close\\r\\nContent-Length: " + String((int)body.length()) +
                "\\r\\n\\r\\n" + body);
  String all;
  for (unsigned long start = millis(); millis() - start < 20000 && (network.connected() || network.available() > 0);) {
    if (network.available() > 0 && all.length() < 4000) all += (char)network.read();
    else delay(1);
  }
  network.stop();
  int head = all.indexOf("\\r\\n\\r\\n");
  if (head < 12) return -1;
  answer = all.substring(head + 4);
  return atoi(all.substring(9, 12).c_str());
}
`;
