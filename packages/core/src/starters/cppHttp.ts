import { cppDecimals, cppOutput, cppSensor } from './cppParts';
import {
  comment,
  controlled,
  literal,
  pascal,
  reported,
  TOKEN_PLACEHOLDER,
  type StarterFile,
  type StarterPlan,
} from './plan';

/** The starter for Wi-Fi boards that sleep or sit behind a strict network: C++ on the Arduino core, HTTP. */
export function cppHttpStarter(plan: StarterPlan): StarterFile[] {
  return [
    { path: 'src/settings.h', text: settings(plan), generated: true },
    { path: 'src/main.cpp', text: program(plan), generated: false },
    { path: 'platformio.ini', text: PROJECT, generated: false },
  ];
}

const PROJECT = `; Serial speed is fixed here; no library beside the core is needed.
[env:board]
platform = espressif32@6.9.0
board = esp32dev
framework = arduino
monitor_speed = 115200
`;

function settings(plan: StarterPlan): string {
  return `// Settings of ${comment(plan.deviceName)}. This is the only file with names and secrets in it.
#pragma once

#define WIFI_NAME ""      // <- your Wi-Fi
#define WIFI_PASSWORD ""  // <- its password

#define SERVICE_URL ${literal(plan.httpUrl)}
#define DEVICE_ID ${literal(plan.deviceId)}
#define DEVICE_TOKEN ${literal(plan.token ?? TOKEN_PLACEHOLDER)}

#define FIRST_INTERVAL_S ${plan.intervalS}  // until the service names another
`;
}

function program(plan: StarterPlan): string {
  return `// Starter for ${comment(plan.deviceName)}: reports over HTTP, obeys what is wanted, prints what happens.
#include <Arduino.h>
#include <HTTPClient.h>
#include <WiFi.h>

#include "settings.h"

unsigned long intervalMs = FIRST_INTERVAL_S * 1000UL;
unsigned long lastReportMs = 0;
unsigned long messageNumber = 0;
unsigned long backOffMs = 1000;
bool reportNow = true;

// ---- Your sensors: one function for each datastream that is reported. Return NAN while there is no value.
${reported(plan).map(cppSensor).join('\n')}
// ---- Your outputs: one function for each control. Return false when the board cannot do it.
${controlled(plan).map(cppOutput).join('\n')}
void addValue(String& json, const char* key, double value, int decimals) {
  if (isnan(value)) return;
  json += String(",\\"") + key + "\\":" + String(value, decimals);
}

// The answer to a call as its device, or an empty text; says why.
String call(const char* method, const String& path, const String& body) {
  HTTPClient http;
  http.begin(String(SERVICE_URL) + path);
  http.addHeader("Authorization", String("Bearer ") + DEVICE_TOKEN);
  http.addHeader("Content-Type", "application/json");
  int status = http.sendRequest(method, body);
  String answer = status > 0 ? http.getString() : String("");
  http.end();
  if (status == 401) Serial.println("HTTP: the token is not right. Check DEVICE_TOKEN in settings.h.");
  if (status <= 0 || status >= 500) {
    Serial.println(String("HTTP: not reached or busy (") + String(status) + "), trying again");
    return String("");
  }
  return answer;
}

// The value of a key in a flat JSON object, as text; empty where it is not there.
String valueOf(const String& json, const char* key) {
  String mark = String("\\"") + key + "\\":";
  int start = json.indexOf(mark);
  if (start < 0) return String("");
  start += mark.length();
  int end = start;
  while (end < (int)json.length() && json[end] != ',' && json[end] != '}') end++;
  return json.substring(start, end);
}

void obey() {
  String wanted = call("GET", "/device/wanted", "");
  String interval = valueOf(wanted, "interval");
  if (interval.length() > 0 && interval.toFloat() >= 1) intervalMs = (unsigned long)(interval.toFloat() * 1000);
${controlled(plan)
  .map(
    (stream) => `  static String last${pascal(stream.key)};
  String ${stream.key}Wanted = valueOf(wanted, ${literal(stream.key)});
  if (${stream.key}Wanted.length() > 0 && ${stream.key}Wanted != last${pascal(stream.key)} && apply${pascal(stream.key)}(${stream.key}Wanted.toFloat())) {
    last${pascal(stream.key)} = ${stream.key}Wanted;
    call("POST", "/device/applied", String("{\\"${stream.key}\\":") + ${stream.key}Wanted + "}");
    Serial.println(String("wanted ${stream.key} = ") + ${stream.key}Wanted + ", applied");
  }`,
  )
  .join('\n')}
}

void report() {
  String json = String("{\\"n\\":") + String(++messageNumber);
${reported(plan)
  .map(
    (stream) =>
      `  addValue(json, ${literal(stream.key)}, read${pascal(stream.key)}(), ${cppDecimals(stream)});`,
  )
  .join('\n')}
  json += "}";
  String answer = call("POST", "/device/report", json);
  bool arrived = answer.length() > 0;
  Serial.println(String("#") + String(messageNumber) + (arrived ? " arrived " : " did not arrive ") + json);
  if (arrived && answer.indexOf("\\"refused\\":[]") < 0) Serial.println(String("REFUSED ") + answer);
  backOffMs = arrived ? 1000 : (backOffMs < 60000 ? backOffMs * 2 : 60000);
  if (!arrived) delay(backOffMs);
}

void setup() {
  Serial.begin(115200);
  Serial.println(String("Starting as ") + DEVICE_ID);
}

void loop() {
  if (WiFi.status() != WL_CONNECTED) {
    Serial.println(String("Wi-Fi: connecting to ") + WIFI_NAME);
    WiFi.begin(WIFI_NAME, WIFI_PASSWORD);
    for (int i = 0; i < 40 && WiFi.status() != WL_CONNECTED; i++) delay(500);
    if (WiFi.status() != WL_CONNECTED) {
      Serial.println("Wi-Fi: no connection yet. Check WIFI_NAME and WIFI_PASSWORD in settings.h.");
      return;
    }
  }
  if (reportNow || millis() - lastReportMs >= intervalMs) {
    reportNow = false;
    lastReportMs = millis();
    report();
    obey();
  }
  delay(50);
}
`;
}
