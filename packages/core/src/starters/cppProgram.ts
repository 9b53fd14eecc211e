import { cppClaim } from './claim';
import { cppDecimals, cppHandlers } from './cppParts';
import { comment, controlled, literal, pascal, reported, TOKEN_PLACEHOLDER, type StarterPlan } from './plan';

/** How a C++ starter reaches the service: the network below, and MQTT or HTTP above. */
export interface CppWay {
  includes: string[];
  /** Definitions of `bool networkUp()`, which brings the network up if it can and says what it does, and `double radioSignal()`. */
  network: string;
  /** Definitions of `bool linkUp()`, `bool sendReport(json)`, `void tellApplied(name, value)` and `void listen()`. */
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

#define FIRST_INTERVAL_S ${plan.intervalS}  // until the service names another
#define TIME_SERVER "pool.ntp.org"
`;
}

function identity(plan: StarterPlan): string {
  if (plan.claim !== undefined)
    return `#ifndef SERVICE_URL
#define SERVICE_URL ${literal(plan.httpUrl)}
#endif
#define CLAIM_SECRET ${literal(plan.claim.secret)}  // each board fetches its own device and token with it
extern String deviceId, deviceToken;
#define DEVICE_ID deviceId.c_str()
#define DEVICE_TOKEN deviceToken.c_str()`;
  return `#define DEVICE_ID ${literal(plan.deviceId)}
#define DEVICE_TOKEN ${literal(plan.token ?? TOKEN_PLACEHOLDER)}`;
}

export function wifiSettings(plan: StarterPlan): string {
  const { name, password } = plan.wifi ?? { name: '', password: '' };
  return `#define WIFI_NAME ${literal(name)}${name === '' ? '      // <- your Wi-Fi' : ''}
#define WIFI_PASSWORD ${literal(password)}${password === '' ? '  // <- its password' : ''}
`;
}

export function mqttSettings(plan: StarterPlan): string {
  return `#define MQTT_HOST ${literal(plan.host)}
#define MQTT_PORT ${plan.mqttPort}`;
}

/** Wi-Fi, and the time from the network. */
export const CPP_WIFI = `double radioSignal() { return WiFi.RSSI(); }

bool networkUp() {
  static unsigned long triedMs = 0;
  static bool tried = false, told = false;
  if (WiFi.status() == WL_CONNECTED) {
    if (!told) {
      Serial.println(String("Wi-Fi: connected, this board is ") + WiFi.localIP().toString());
      configTime(0, 0, TIME_SERVER);
    }
    told = true;
    return true;
  }
  told = false;
  if (tried && millis() - triedMs < 20000) return false;
  if (tried) Serial.println("Wi-Fi: no connection yet. Check WIFI_NAME and WIFI_PASSWORD in settings.h.");
  tried = true;
  triedMs = millis();
  Serial.println(String("Wi-Fi: connecting to ") + WIFI_NAME);
  WiFi.begin(WIFI_NAME, WIFI_PASSWORD);
  return false;
}
`;

/** MQTT over whatever `network` is. */
export const CPP_MQTT = `MQTTClient mqtt(2048);
String root() { return String("moor/") + DEVICE_ID + "/"; }

void onMessage(String& topic, String& payload) {
  if (topic == root() + "refused") Serial.println(String("REFUSED ") + payload);
  // A message from within this callback would wait for itself: what was applied is told from loop().
  else if (obey(topic.substring((root() + "wanted/").length()), payload)) {
    appliedName = topic.substring((root() + "wanted/").length());
    appliedValue = payload;
    appliedWaits = true;
  }
}

bool linkUp() {
  if (mqtt.connected()) return true;
  if (!mayTry()) return false;
  Serial.println(String("MQTT: connecting to ") + MQTT_HOST + ":" + String(MQTT_PORT));
  mqtt.begin(MQTT_HOST, MQTT_PORT, network);
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
  Serial.println("MQTT: connected");
  return true;
}

bool sendReport(const String& json) { return mqtt.publish(root() + "report", json, false, 1); }
void tellApplied(const String& name, const String& value) { mqtt.publish(root() + "applied/" + name, value, false, 1); }
void listen() { mqtt.loop(); }
`;

/** The program: sensors and outputs, the messages that wait, and the way they go out. */
export function cppProgram(plan: StarterPlan, protocol: string, way: CppWay): string {
  const reports = reported(plan);
  const controls = controlled(plan);
  const { sensors, outputs, setup } = cppHandlers(plan);
  const claim = cppClaim(plan);
  const includes = [...new Set([...way.includes, ...claim.includes])];
  return `// Starter for ${comment(plan.deviceName)}: reports over ${protocol}, obeys what is wanted, prints what happens.
#include <Arduino.h>
${includes.map((file) => `#include <${file}>\n`).join('')}#include <time.h>

#include "settings.h"

double radioSignal();
${claim.code === '' ? '' : 'String deviceId, deviceToken;\n'}
// ---- Your sensors: one function for each datastream that is reported. Return NAN while there is no value.
${sensors}
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
String appliedName, appliedValue;
bool appliedWaits = false;
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

void dropOldest() {
  for (int i = 1; i < waitingCount; i++) waiting[i - 1] = waiting[i];
  waitingCount--;
}

// Measures, and puts the message behind those that wait.
void measure() {
  String json = String("{\\"n\\":") + String(++messageNumber);
  time_t now = time(nullptr);
  // Without a clock the service says when it came, so only the newest can wait.
  bool clockIsSet = now > 1700000000;
  if (clockIsSet) json += String(",\\"at\\":") + String((unsigned long)now) + "000";
${reports.map((stream) => `  addValue(json, ${literal(stream.key)}, read${pascal(stream.key)}(), ${cppDecimals(stream)});`).join('\n')}
  json += "}";
  if (!clockIsSet) waitingCount = 0;
  if (waitingCount == MOST_WAITING) {
    dropOldest();
    Serial.println("too many messages wait: the oldest is gone");
  }
  waiting[waitingCount++] = json;
}

bool obey(const String& name, const String& text) {
  double value = text.toFloat();
  bool done = false;
  if (name == "interval") {
    done = value >= 1;
    if (done) intervalMs = (unsigned long)(value * 1000);
  }
${controls.map((stream) => `  if (name == ${literal(stream.key)}) done = apply${pascal(stream.key)}(value);`).join('\n')}
  Serial.println(String("wanted ") + name + " = " + text + (done ? ", applied" : ", not possible"));
  return done;
}

${way.network}
${claim.code}${way.link}
void setup() {
  Serial.begin(115200);
  Serial.println(String("Starting as ") + DEVICE_ID);
${setup}${way.setup}}

void loop() {
  if (reportNow || millis() - lastReportMs >= intervalMs) {
    reportNow = false;
    lastReportMs = millis();
    measure();
  }
  if (networkUp() && ${claim.check}linkUp()) {
    listen();
    if (appliedWaits) {
      appliedWaits = false;
      tellApplied(appliedName, appliedValue);
    }
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
    }
  }
  delay(10);
}
`;
}
