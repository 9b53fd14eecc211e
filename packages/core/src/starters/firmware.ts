import { FIRMWARE_MARK } from '../firmware';
import { comment, type StarterPlan } from './plan';
import type { StarterFile } from './plan';

/** Lines of settings.h: the public half of the key with which programs of the kind are signed. */
export function cppFirmwareKey({ firmwareKey }: StarterPlan): string {
  if (!firmwareKey) return '';
  const lines = firmwareKey
    .trim()
    .split('\n')
    .map((line) => ` \\\n  "${comment(line)}\\n"`);
  return `// New programs are fetched from the service, where they are signed with this key.
#define FIRMWARE_KEY${lines.join('')}
`;
}

/** What stands at the top of a C++ program: its version, so that a built file can be told from another. */
export const CPP_VERSION = `#define FIRMWARE_VERSION "1.0.0"  // raise it with every build that you give to boards by the page of the kind
extern const char firmwareMark[];
const char firmwareMark[] __attribute__((used)) = "${FIRMWARE_MARK}" FIRMWARE_VERSION ":";
`;

/** Headers that a new program needs, where there is a key. */
export const CPP_FIRMWARE_INCLUDES = `#ifdef FIRMWARE_KEY
#include <HTTPClient.h>
#include <Update.h>
#include <esp_ota_ops.h>
#include <mbedtls/md.h>
#include <mbedtls/pk.h>
#include <mbedtls/sha256.h>
#endif
`;

/** Asks for a new program, fetches it in parts, checks sum and signature, starts it, and goes back where it does not report. */
export const CPP_FIRMWARE = `
#ifdef FIRMWARE_KEY
#define FIRMWARE_EVERY_MS 600000UL
#define FIRMWARE_PART 4096
// The board keeps the program before until this one has reported.
extern "C" bool verifyRollbackLater() { return true; }
bool firmwareConfirmed = false;

String firmwareText(const String& json, const char* key) {
  String mark = String("\\"") + key + "\\":";
  int start = json.indexOf(mark);
  if (start < 0) return String("");
  start += mark.length();
  bool quoted = json[start] == '"';
  if (quoted) start++;
  int end = start;
  while (end < (int)json.length() && json[end] != '"' && json[end] != ',' && json[end] != '}') end++;
  return json.substring(start, end);
}

int hexBytes(const String& text, unsigned char* bytes, int most) {
  int count = 0;
  for (int i = 0; i + 1 < (int)text.length() && count < most; i += 2)
    bytes[count++] = (unsigned char)strtol(text.substring(i, i + 2).c_str(), nullptr, 16);
  return count;
}

void firmwareSay(const String& version, const char* state, const char* reason) {
  Serial.println(String("program ") + version + ": " + state + " " + reason);
  HTTPClient http;
  http.setTimeout(15000);
  beginCall(http, serviceUrl() + "/device/firmware");
  http.addHeader("Authorization", String("Bearer ") + DEVICE_TOKEN);
  http.addHeader("Content-Type", "application/json");
  http.sendRequest("POST", String("{\\"version\\":\\"") + version + "\\",\\"state\\":\\"" + state + "\\",\\"reason\\":\\"" + reason + "\\"}");
  http.end();
}

// Fetches all of it into the other place, and says what is wrong with it; an empty text for nothing.
const char* firmwareFetch(const String& version, long size, const String& sum, const String& signature) {
  static uint8_t part[FIRMWARE_PART];
  mbedtls_sha256_context hash;
  mbedtls_sha256_init(&hash);
  mbedtls_sha256_starts(&hash, 0);
  if (!Update.begin(size)) return "there is no room for it";
  for (long at = 0; at < size;) {
    HTTPClient http;
    http.setTimeout(15000);
    beginCall(http, serviceUrl() + "/device/firmware/" + version);
    http.addHeader("Authorization", String("Bearer ") + DEVICE_TOKEN);
    long last = at + FIRMWARE_PART < size ? at + FIRMWARE_PART : size;
    http.addHeader("Range", String("bytes=") + String((unsigned long)at) + "-" + String((unsigned long)(last - 1)));
    int status = http.sendRequest("GET", String(""));
    size_t count = status == 206 ? http.getStreamPtr()->readBytes(part, last - at) : 0;
    http.end();
    if (count == 0) {
      Update.abort();
      return "it was cut off";
    }
    mbedtls_sha256_update(&hash, part, count);
    if (Update.write(part, count) != count) {
      Update.abort();
      return "it could not be written";
    }
    at += (long)count;
    listen();  // what is wanted is obeyed meanwhile
  }
  unsigned char found[32], told[32], sign[80];
  mbedtls_sha256_finish(&hash, found);
  mbedtls_sha256_free(&hash);
  if (hexBytes(sum, told, 32) != 32 || memcmp(found, told, 32) != 0) {
    Update.abort();
    return "the sum is wrong";
  }
  mbedtls_pk_context key;
  mbedtls_pk_init(&key);
  int length = hexBytes(signature, sign, 80);
  bool right = mbedtls_pk_parse_public_key(&key, (const unsigned char*)FIRMWARE_KEY, strlen(FIRMWARE_KEY) + 1) == 0 &&
               mbedtls_pk_verify(&key, MBEDTLS_MD_SHA256, found, 32, sign, length) == 0;
  mbedtls_pk_free(&key);
  if (!right) {
    Update.abort();
    return "the signature is wrong";
  }
  return Update.end(true) ? "" : "it could not be finished";
}

// After the first report that arrived, and then every ten minutes.
void lookForFirmware() {
  static unsigned long askedMs = 0;
  if (!firmwareConfirmed) {
    firmwareConfirmed = true;
    esp_ota_mark_app_valid_cancel_rollback();
  } else if (millis() - askedMs < FIRMWARE_EVERY_MS) return;
  askedMs = millis();
#if DEEP_SLEEP
  if (messageNumber % 20 != 1) return;  // to ask costs battery
#endif
  bool room = esp_ota_get_next_update_partition(nullptr) != nullptr;
  HTTPClient http;
  http.setTimeout(15000);
  beginCall(http, serviceUrl() + "/device/firmware?has=" FIRMWARE_VERSION "&slots=" + (room ? "2" : "1"));
  http.addHeader("Authorization", String("Bearer ") + DEVICE_TOKEN);
  String answer = http.sendRequest("GET", String("")) == 200 ? http.getString() : String("");
  http.end();
  String version = firmwareText(answer, "version");
  long size = atol(firmwareText(answer, "size").c_str());
  if (version.length() == 0 || version == "null" || size <= 0) return;
  Serial.println(String("fetching program ") + version);
  const char* wrong = firmwareFetch(version, size, firmwareText(answer, "sha256"), firmwareText(answer, "signature"));
  firmwareSay(version, wrong[0] == 0 ? "fetched" : "failed", wrong);
  if (wrong[0] != 0) return;
  Serial.println("starting it");
  delay(500);
  ESP.restart();
}

// A program that has not reported within ten minutes gives way to the one before it.
void firmwareGivesWay() {
  esp_ota_img_states_t state;
  if (firmwareConfirmed || millis() < FIRMWARE_EVERY_MS) return;
  if (esp_ota_get_state_partition(esp_ota_get_running_partition(), &state) == ESP_OK && state == ESP_OTA_IMG_PENDING_VERIFY)
    esp_ota_mark_app_invalid_rollback_and_reboot();
  firmwareConfirmed = true;
}
#else
void lookForFirmware() {}
void firmwareGivesWay() {}
#endif
`;

/** firmware.py for a board with MicroPython. */
export const microPythonFirmware = (plan: StarterPlan): StarterFile => ({
  path: 'firmware.py',
  generated: true,
  text: `# New programs from the service: fetched in parts, checked by sum and signature (ECDSA on P-256), started, and given up
# where they do not report. The program is main.py; the one before it stays as main.old until this one has reported.
import hashlib
import json
import os

PUBLIC_KEY = ${plan.firmwareKey ? `(\n    ${pointOf(plan.firmwareKey).join(',\n    ')},\n)` : 'None  # new programs are not fetched'}
PART = 4096
TRIES = 3  # starts that a new program has until it has reported

P = 0xffffffff00000001000000000000000000000000ffffffffffffffffffffffff
N = 0xffffffff00000000ffffffffffffffffbce6faada7179e84f3b9cac2fc632551
G = (
    0x6b17d1f2e12c4247f8bce6e563a440f277037d812deb33a0f4a13945d898c296,
    0x4fe342e2fe1a7f9b8ee7eb4a7c0f9e162bce33576b315ececbb6406837bf51f5,
)


def inverse(value, modulus):
    low, high, a, b = value % modulus, modulus, 1, 0
    while low > 1:
        share = high // low
        low, high, a, b = high - share * low, low, b - share * a, a
    return a % modulus


def add(p, q):
    """Of points x, y, z in Jacobian form (SEC 1); z of 0 is none."""
    if p[2] == 0:
        return q
    if q[2] == 0:
        return p
    pz, qz = p[2] * p[2] % P, q[2] * q[2] % P
    u, v = p[0] * qz % P, q[0] * pz % P
    s, t = p[1] * qz * q[2] % P, q[1] * pz * p[2] % P
    if u == v:
        return twice(p) if s == t else (0, 1, 0)
    h = (v - u) % P
    r = (t - s) % P
    hh = h * h % P
    hhh = h * hh % P
    x = (r * r - hhh - 2 * u * hh) % P
    return (x, (r * (u * hh - x) - s * hhh) % P, h * p[2] * q[2] % P)


def twice(p):
    if p[2] == 0:
        return p
    yy = p[1] * p[1] % P
    s = 4 * p[0] * yy % P
    zz = p[2] * p[2] % P
    m = 3 * (p[0] - zz) * (p[0] + zz) % P
    x = (m * m - 2 * s) % P
    return (x, (m * (s - x) - 8 * yy * yy) % P, 2 * p[1] * p[2] % P)


def both(a, p, b, q):
    """a times p and b times q, added."""
    p, q = (p[0], p[1], 1), (q[0], q[1], 1)
    sums = {1: p, 2: q, 3: add(p, q)}
    total = (0, 1, 0)
    for bit in range(255, -1, -1):
        total = twice(total)
        which = (a >> bit & 1) | (b >> bit & 1) << 1
        if which:
            total = add(total, sums[which])
    return total


def numbers(signature):
    """r and s of a signature in DER."""
    if signature[0] != 0x30 or signature[2] != 2:
        raise ValueError("no signature")
    length = signature[3]
    rest = signature[4 + length:]
    if rest[0] != 2:
        raise ValueError("no signature")
    return int.from_bytes(signature[4:4 + length], "big"), int.from_bytes(rest[2:2 + rest[1]], "big")


def is_signed(digest, signature, key):
    """FIPS 186-5, 6.4.2."""
    try:
        r, s = numbers(signature)
    except (ValueError, IndexError):
        return False
    if not (0 < r < N and 0 < s < N):
        return False
    w = inverse(s, N)
    x, _, z = both(int.from_bytes(digest, "big") * w % N, G, r * w % N, key)
    if z == 0:
        return False
    return x * inverse(z * z % P, P) % P % N == r


def mark():
    try:
        with open("firmware.json") as file:
            return json.load(file)
    except (OSError, ValueError):
        return None


def keep(value):
    with open("firmware.json", "w") as file:
        json.dump(value, file)


def exists(name):
    try:
        os.stat(name)
        return True
    except OSError:
        return False


def gives_way():
    """Called at every start: a new program that has not reported after some starts gives way to the one before it."""
    trying = mark()
    if not trying:
        return
    trying["starts"] += 1
    if trying["starts"] <= TRIES:
        keep(trying)
        try:
            import machine

            machine.WDT(timeout=120000)  # a program that does not even run starts again, and so counts
        except Exception:  # a board without one
            pass
        return
    print("the new program has not reported: the one before it starts again")
    if exists("main.old"):
        if exists("main.py"):
            os.remove("main.py")
        os.rename("main.old", "main.py")
    os.remove("firmware.json")


def reported():
    """The new program has reported: it stays."""
    if mark():
        os.remove("firmware.json")
        print("the new program stays")


def hexed(text):
    return bytes(int(text[i:i + 2], 16) for i in range(0, len(text), 2))


def look(has, ask):
    """Asks for a new program and fetches it; True where it is to be started. \`ask(method, path, headers, body)\` gives status and bytes."""
    if PUBLIC_KEY is None:
        return False
    status, body = ask("GET", "/device/firmware?has=%s&slots=2" % has, {}, None)
    told = json.loads(body) if status == 200 else {}
    version = told.get("version")
    if not version:
        return False
    print("fetching program", version)
    wrong = fetch(version, told, ask) or put_in_place(version)
    print("program %s: %s" % (version, wrong or "fetched"))
    state = {"version": version, "state": "failed" if wrong else "fetched", "reason": wrong}
    ask("POST", "/device/firmware", {"Content-Type": "application/json"}, json.dumps(state))
    return not wrong


def put_in_place(version):
    """The new program becomes main.py; gives what is wrong, or an empty text."""
    try:
        if exists("main.old"):
            os.remove("main.old")
        os.rename("main.py", "main.old")
        os.rename("main.new", "main.py")
        keep({"version": version, "starts": 0})
        return ""
    except OSError as error:
        return "it could not be put in place (%s)" % error


def fetch(version, told, ask):
    """Into main.new; gives what is wrong with it, or an empty text."""
    sum_of = hashlib.sha256()
    at = 0
    with open("main.new", "wb") as file:
        while at < told["size"]:
            headers = {"Range": "bytes=%d-%d" % (at, min(at + PART, told["size"]) - 1)}
            status, part = ask("GET", "/device/firmware/" + version, headers, None)
            if status != 206 or not part:
                return "it was cut off"
            file.write(part)
            sum_of.update(part)
            at += len(part)
    digest = sum_of.digest()
    if digest != hexed(told["sha256"]):
        return "the sum is wrong"
    return "" if is_signed(digest, hexed(told["signature"]), PUBLIC_KEY) else "the signature is wrong"
`,
});

/** boot.py, which runs ahead of main.py at every start. */
export const MICROPYTHON_BOOT: StarterFile = {
  path: 'boot.py',
  generated: false,
  text: `# Runs ahead of main.py: a new program that does not report gives way to the one before it.
import firmware

firmware.gives_way()
`,
};

/** Both coordinates of a public key on P-256 (RFC 5480): the last 64 bytes of its DER. */
function pointOf(pem: string): string[] {
  const bytes = Uint8Array.from(atob(pem.replace(/-----[^-]*-----|\s/g, '')), (letter) =>
    letter.charCodeAt(0),
  );
  const hex = [...bytes.slice(-64)].map((byte) => byte.toString(16).padStart(2, '0')).join('');
  return [`0x${hex.slice(0, 64)}`, `0x${hex.slice(64)}`];
}
