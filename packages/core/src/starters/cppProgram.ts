import { cppClaim } from './claim';
import { CPP_FIRMWARE, CPP_FIRMWARE_INCLUDES, CPP_VERSION, cppFirmwareKey } from './firmware';
import { CPP_OWN_WIFI } from './ownWifi';
import { cppDecimals, cppHandlers } from './functions';
import { keepLiteral, keeps } from './keeping';
import { CPP_KEEP } from './keepingCpp';
import {
  comment,
  controlled,
  isPlain,
  authorityOf,
  literal,
  pascal,
  pictured,
  portOf,
  reported,
  TOKEN_PLACEHOLDER,
  type StarterPlan,
} from './plan';
import type { Datastream } from '../readings/types';

/** How a C++ starter reaches the service: the network below, and MQTT or HTTP above. */
export interface CppWay {
  includes: string[];
  /** Definitions of `bool networkUp()`, which brings the network up if it can and says what it does, and `double radioSignal()`. */
  network: string;
  /** Definitions of `bool linkUp()`, `bool sendReport(json)`, `bool tellApplied(name, value)`, `bool sendImage(name, bytes, length)` and `void listen()`. */
  link: string;
  /** Lines of setup(). */
  setup: string;
}

/** The settings file that every C++ starter has. */
export function cppSettings(plan: StarterPlan, network: string, link: string): string {
  return `// Settings of ${comment(plan.deviceName)}. This is the only file with names and secrets in it.
#pragma once

${network}
${link}
${identity(plan)}
${authority(plan)}${cppFirmwareKey(plan)}
#define FIRST_INTERVAL_S ${plan.intervalS}  // until the service names another
${keeps(plan) ? `#define KEEP ${keepLiteral(plan)}  // what it keeps by itself, until the service says otherwise\n` : ''}#define TIME_SERVER "pool.ntp.org"  // where the service tells no time
#define DEEP_SLEEP 0  // 1 for a battery board: it sleeps between reports, and obeys when it wakes
`;
}

/** The authority that the board trusts: with it all goes over TLS. */
function authority(plan: StarterPlan): string {
  return plan.tls
    ? `// The authority that is trusted; with it all goes over TLS.
#define AUTHORITY${authorityOf(plan)
        .split('\n')
        .map((line) => ` \\\n  "${line.trim()}\\n"`)
        .join('')}
`
    : '';
}

function identity(plan: StarterPlan): string {
  const where = `#define SERVICE_URL ${literal(plan.httpUrl)}
#define SERVICE_NAME ${literal(plan.localName ?? '')}  // its name in the local network, tried first; empty for none
`;
  if (plan.claim !== undefined)
    return `${where}#define CLAIM_SECRET ${literal(plan.claim.secret)}  // each board fetches its own device and token with it
extern String deviceId, deviceToken;
#define DEVICE_ID deviceId.c_str()
#define DEVICE_TOKEN deviceToken.c_str()`;
  return `${where}#define DEVICE_ID ${literal(plan.deviceId)}
#define DEVICE_TOKEN ${literal(plan.token ?? TOKEN_PLACEHOLDER)}`;
}

export function wifiSettings(plan: StarterPlan): string {
  const { name, password } = plan.wifi ?? { name: '', password: '' };
  return `#define WIFI_NAME ${literal(name)}${name === '' ? '      // <- your Wi-Fi; empty: the board asks for it on a page of its own' : ''}
#define WIFI_PASSWORD ${literal(password)}${password === '' ? '  // <- its password' : ''}
`;
}

export function mqttSettings(plan: StarterPlan): string {
  return `#define MQTT_HOST ${literal(plan.host)}
#define MQTT_PORT ${portOf(plan)}`;
}

/** Wi-Fi, the service's place in the local network, and the time: the service's first, the internet's second. */
export const CPP_WIFI = `${CPP_OWN_WIFI.code}double radioSignal() { return WiFi.RSSI(); }

// By its name in the local network, if it tells one: a router may give it another address tomorrow.
String foundHost;
void findService() {
  foundHost = "";
  String name = SERVICE_NAME;
  int end = name.indexOf(".local");
  if (end <= 0) return;
  MDNS.begin("board");
  IPAddress found = MDNS.queryHost(name.substring(0, end).c_str(), 2000);
  if ((uint32_t)found != 0) foundHost = found.toString();
  Serial.println(foundHost.length() > 0 ? name + " is " + foundHost : name + " is not found; the address in settings.h is taken");
}
String serviceHost(const char* otherwise) { return foundHost.length() > 0 ? foundHost : String(otherwise); }
String serviceUrl() {
  String url = SERVICE_URL;
  int start = url.indexOf("://") + 3;
  int end = url.substring(start).indexOf(":");
  if (foundHost.length() == 0 || end < 0) return url;
  return url.substring(0, start) + foundHost + url.substring(start + end);
}

void beginCall(HTTPClient& http, const String& url) {
#ifdef AUTHORITY
  http.begin(url, AUTHORITY);
#else
  http.begin(url);
#endif
}

void setClock() {
  configTime(0, 0, TIME_SERVER);
  HTTPClient http;
  http.setTimeout(3000);
  // Plain: without the time no certificate can be looked at.
  String url = serviceUrl() + "/device/time";
  url.replace("https://", "http://");
  http.begin(url);
  String answer = http.sendRequest("GET", "") == 200 ? http.getString() : String("");
  http.end();
  int start = answer.indexOf("\\"now\\":");
  if (start < 0) return;
  long long ms = atoll(answer.substring(start + 6).c_str());
  struct timeval now = {(time_t)(ms / 1000), (suseconds_t)(ms % 1000 * 1000)};
  settimeofday(&now, nullptr);
}

bool networkUp() {
  static unsigned long triedMs = 0;
  static bool tried = false, told = false;
  if (!wifiKnown()) return false;
  if (WiFi.status() == WL_CONNECTED) {
    if (!told) {
      Serial.println(String("Wi-Fi: connected, this board is ") + WiFi.localIP().toString());
      findService();
      setClock();
    }
    told = true;
    return true;
  }
  told = false;
  if (tried && millis() - triedMs < 20000) return false;
  if (tried) Serial.println("Wi-Fi: no connection yet. Check its name and password.");
  tried = true;
  triedMs = millis();
  Serial.println(String("Wi-Fi: connecting to ") + wifiName);
  WiFi.begin(wifiName.c_str(), wifiPassword.c_str());
  return false;
}
`;
/** What Wi-Fi needs. */
export const WIFI_INCLUDES = ['ESPmDNS.h', 'HTTPClient.h', 'WiFi.h', ...CPP_OWN_WIFI.includes];

/** MQTT over whatever `network` is; images need room for all of their bytes. */
export const cppMqtt = (
  plan: StarterPlan,
): string => `MQTTClient mqtt(${pictured(plan).length > 0 ? 65536 : 4096});
String root() { return String("moor/") + DEVICE_ID + "/"; }

void onMessage(String& topic, String& payload) {
  if (topic == root() + "refused") Serial.println(String("REFUSED ") + payload);
  // A message from within this callback would wait for itself: what was applied is told from loop().
  else {
    String name = topic.substring((root() + "wanted/").length());
    if (obey(name, payload)) wasApplied(name, payload);
  }
}

bool linkUp() {
  if (mqtt.connected()) return true;
  if (!mayTry()) return false;
  Serial.println(String("MQTT: connecting to ") + serviceHost(MQTT_HOST) + ":" + String(MQTT_PORT));
  static String host;
  host = serviceHost(MQTT_HOST);
  mqtt.begin(host.c_str(), MQTT_PORT, network);
  mqtt.setOptions(60, true, 10000);  // seconds of silence after which the link is looked at; a limit in ms for an answer
  mqtt.onMessage(onMessage);
  if (!mqtt.connect(DEVICE_ID, DEVICE_ID, DEVICE_TOKEN)) {
    Serial.println(String("MQTT: refused or not reached (code ") + String((int)mqtt.returnCode()) +
                   "; 4 or 5: check DEVICE_ID and DEVICE_TOKEN). Trying again.");
    tryLater();
    return false;
  }
  backOffMs = 1000;
  mqtt.subscribe(root() + "refused", 1);
  mqtt.subscribe(root() + "wanted/#", 1);
${keeps(plan) ? '  keepChanged = true;\n' : ''}  Serial.println("MQTT: connected");
  return true;
}

bool sendReport(const String& json) { return mqtt.publish(root() + "report", json, false, 1); }
bool tellApplied(const String& name, const String& value) { return mqtt.publish(root() + "applied/" + name, value, false, 1); }
bool sendImage(const char* name, const uint8_t* bytes, size_t length) {
  return mqtt.publish((root() + "report/" + name).c_str(), (const char*)bytes, (int)length, false, 1);
}
${
  keeps(plan)
    ? `bool tellAbout(const String& json) { return mqtt.publish(root() + "about", json, false, 1); }
void forgetWanted(const String& name) { (void)name; }  // it is told anew with the next connection
void listen() {
  mqtt.loop();
  if (mqtt.connected()) heard();
}
`
    : 'void listen() { mqtt.loop(); }\n'
}`;

/** Makes an output what a text says. */
const cppApply = (
  controls: readonly Datastream[],
): string => `bool applyText(const String& name, const String& text) {
${controls.map((stream) => `  if (name == ${literal(stream.key)}) return apply${pascal(stream.key)}(${isPlain(stream) ? 'atof(text.c_str())' : 'text'});`).join('\n')}
  return false;
}
`;

/** The program: sensors and outputs, the messages that wait, and the way they go out. */
export function cppProgram(plan: StarterPlan, protocol: string, way: CppWay): string {
  const reports = reported(plan);
  const controls = controlled(plan);
  const images = pictured(plan);
  const handlers = cppHandlers(plan);
  const { sensors, outputs, setup } = handlers;
  const claim = cppClaim(plan, way.includes.includes('TinyGsmClient.h'));
  const includes = [
    ...new Set([
      ...way.includes,
      ...claim.includes,
      ...handlers.includes,
      ...(keeps(plan) ? ['Preferences.h'] : []),
    ]),
  ].sort();
  return `// Starter for ${comment(plan.deviceName)}: reports over ${protocol}, obeys what is wanted, prints what happens.
#include <Arduino.h>
${includes.map((file) => `#include <${file}>\n`).join('')}#include <esp_sleep.h>
#include <initializer_list>
#include <sys/time.h>
#include <time.h>

#include "settings.h"

${CPP_FIRMWARE_INCLUDES}
${CPP_VERSION}
double radioSignal();
// Says why there is no value; the report goes without it.
double nothing(const char* name, const char* why) {
  Serial.println(String(name) + ": " + why);
  return NAN;
}
${claim.code === '' ? '' : 'String deviceId, deviceToken;\n'}
${handlers.support === '' ? '' : `// ---- How parts are read.\n${handlers.support}\n`}// ---- Your sensors: one function for each datastream that is reported. Return NAN, or an empty text, while there is no value.
${sensors}${images.map(imageFunction).join('')}
// ---- Your outputs: one function for each control. Return false when the board cannot do it.
${outputs}
// ---- From here on nothing needs to be changed.
#define MOST_WAITING 100

unsigned long intervalMs = FIRST_INTERVAL_S * 1000UL;
unsigned long lastReportMs = 0;
unsigned long messageNumber = 0;
unsigned long backOffMs = 1000;
unsigned long failedMs = 0;
bool failed = false;
bool reportNow = true;
bool anyArrived = false;
#define MOST_APPLIED ${controls.length + 1}
String appliedName[MOST_APPLIED], appliedValue[MOST_APPLIED];  // what has to be told, each name once
int appliedCount = 0;
String waiting[MOST_WAITING];  // messages that have not arrived yet, the oldest first, with their true times
int waitingCount = 0;

bool mayTry() { return !failed || millis() - failedMs >= backOffMs; }
void tryLater() {
  if (failed) backOffMs = backOffMs < 60000 ? backOffMs * 2 : 60000;
  failed = true;
  failedMs = millis();
}

void addValue(String& json, const char* key, double value, int decimals) {
  if (isnan(value) || isinf(value)) return;
  json += String(",\\"") + key + "\\":" + String(value, decimals);
}

void addText(String& json, const char* key, const String& text) {
  if (text.length() == 0) return;
  json += String(",\\"") + key + "\\":\\"";
  for (size_t i = 0; i < text.length(); i++) {
    if (text[i] == '"' || text[i] == '\\\\') json += '\\\\';
    json += (uint8_t)text[i] < 32 ? ' ' : text[i];
  }
  json += '"';
}

void wasApplied(const String& name, const String& value) {
  int place = 0;
  while (place < appliedCount && !(appliedName[place] == name)) place++;
  if (place == MOST_APPLIED) return;
  if (place == appliedCount) appliedCount++;
  appliedName[place] = name;
  appliedValue[place] = value;
}

void dropOldest() {
  for (int i = 1; i < waitingCount; i++) waiting[i - 1] = waiting[i];
  waitingCount--;
}

// Measures, and puts the message behind those that wait.
void measure() {
  String json = String("{\\"n\\":") + String(++messageNumber);
  struct timeval now;
  gettimeofday(&now, nullptr);
  // Without a clock the service says when it came, so only the newest can wait.
  bool clockIsSet = now.tv_sec > 1700000000;
  char at[24];
  snprintf(at, sizeof at, ",\\"at\\":%lu%03d", (unsigned long)now.tv_sec, (int)(now.tv_usec / 1000));
  if (clockIsSet) json += at;
${reports.map((stream) => (isPlain(stream) ? `  addValue(json, ${literal(stream.key)}, read${pascal(stream.key)}(), ${cppDecimals(stream)});` : `  addText(json, ${literal(stream.key)}, read${pascal(stream.key)}());`)).join('\n')}
  json += "}";
  if (!clockIsSet) waitingCount = 0;
  if (waitingCount == MOST_WAITING) {
    dropOldest();
    Serial.println("too many messages wait: the oldest is gone");
  }
  waiting[waitingCount++] = json;
}

${keeps(plan) ? `${cppApply(controls)}\n${CPP_KEEP}\n` : ''}bool obey(const String& name, const String& text) {
  bool done = false;
${
  keeps(plan)
    ? `  if (name == "_keep") {
    takeKeep(text);
    return false;
  }
  if (!mayRun(name, text)) {
    Serial.println(String("wanted ") + name + " = " + text + ": it rests, not done");
    return false;
  }
`
    : ''
}  if (name == "interval") {
    double value = atof(text.c_str());
    done = value >= 1;
    if (done) intervalMs = (unsigned long)(value * 1000);
  }
${keeps(plan) ? '  if (applyText(name, text)) {\n    done = true;\n    wasMade(name, text);\n  }\n' : ''}  Serial.println(String("wanted ") + name + " = " + text + (done ? ", applied" : ", not possible"));
  return done;
}

${way.network}
${claim.code}${way.link}${CPP_FIRMWARE}
#if DEEP_SLEEP
RTC_DATA_ATTR char keptWaiting[4000];  // stays while the board sleeps
RTC_DATA_ATTR unsigned long keptNumber = 0;
void wakeUp() {
  messageNumber = keptNumber;
  String kept = keptWaiting;
  for (int end = kept.indexOf("\\n"); end >= 0 && waitingCount < MOST_WAITING; end = kept.indexOf("\\n")) {
    waiting[waitingCount++] = kept.substring(0, end);
    kept = kept.substring(end + 1);
  }
}
void sleepUntilNext() {
  String kept;
  for (int i = waitingCount - 1; i >= 0 && kept.length() + waiting[i].length() < sizeof keptWaiting - 2; i--)
    kept = waiting[i] + "\\n" + kept;
  snprintf(keptWaiting, sizeof keptWaiting, "%s", kept.c_str());
  keptNumber = messageNumber;
  unsigned long awakeMs = millis() < intervalMs ? millis() : 0;
  Serial.println("sleeping");
  esp_deep_sleep((uint64_t)(intervalMs - awakeMs) * 1000);
}
#endif

void setup() {
  Serial.begin(115200);
  Serial.println(String("Starting as ") + DEVICE_ID);
${setup}${way.setup}${keeps(plan) ? '  startKeep();\n' : ''}#if DEEP_SLEEP
  wakeUp();
#endif
}

void loop() {
  if (reportNow || millis() - lastReportMs >= intervalMs) {
    reportNow = false;
    lastReportMs = millis();
    measure();
  }
${keeps(plan) ? '  lookAtKept();\n' : ''}  if (networkUp() && ${claim.check}linkUp()) {
    listen();
${keeps(plan) ? '    if (keepChanged && tellAbout(keptAsJson())) keepChanged = false;\n' : ''}    while (appliedCount > 0 && tellApplied(appliedName[appliedCount - 1], appliedValue[appliedCount - 1])) appliedCount--;
    while (waitingCount > 0 && mayTry()) {
      if (!sendReport(waiting[0])) {
        Serial.println(String(waitingCount) + " waiting: " + waiting[0]);
        tryLater();
        break;
      }
      failed = false;
      backOffMs = 1000;
      Serial.println(String("arrived ") + waiting[0]);
      dropOldest();
      anyArrived = true;
    }
    if (anyArrived && waitingCount == 0) lookForFirmware();
${images.map(({ key }) => `    if (waitingCount == 0) send${pascal(key)}();\n`).join('')}  }
  firmwareGivesWay();
#if DEEP_SLEEP
  // Half a minute is long enough to try; what waits goes out next time.
  if ((waitingCount == 0 && appliedCount == 0 && millis() > 5000) || millis() > 30000) sleepUntilNext();
#endif
  delay(10);
}
`;
}

const imageFunction = (stream: Datastream): string => `
// ${comment(stream.title)}: once an interval; a camera's own library gives the bytes (JPEG, PNG or WebP, 512 KB at the most).
extern unsigned long intervalMs;
bool sendImage(const char* name, const uint8_t* bytes, size_t length);
void send${pascal(stream.key)}() {
  static unsigned long sentMs = 0;
  if (sentMs != 0 && millis() - sentMs < intervalMs) return;
  sentMs = millis() | 1;
  const uint8_t* bytes = nullptr;  // replace by what your camera gives
  size_t length = 0;
  if (length > 0 && !sendImage("${stream.key}", bytes, length)) Serial.println("the image did not arrive");
}
`;

/** The project file of the board's tool chain: libraries and serial speed are fixed, so that it builds the same next year. */
export function cppProject(plan: StarterPlan, libraries: readonly string[]): string {
  const all = [...libraries, ...cppHandlers(plan).libraries];
  return `; Libraries and serial speed are fixed here, so that it builds the same next year.
[env:board]
platform = espressif32@6.9.0
board = esp32dev
framework = arduino
monitor_speed = 115200
${all.length === 0 ? '' : `lib_deps =\n${all.map((one) => `  ${one}\n`).join('')}`}`;
}
