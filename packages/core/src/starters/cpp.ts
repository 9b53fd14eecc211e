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

/** The starter for Wi-Fi boards: C++ on the Arduino core, MQTT. Three files; only settings.h is generated anew. */
export function cppStarter(plan: StarterPlan): StarterFile[] {
  return [
    { path: 'src/settings.h', text: settings(plan), generated: true },
    { path: 'src/main.cpp', text: program(plan), generated: false },
    { path: 'platformio.ini', text: PROJECT, generated: false },
  ];
}

const PROJECT = `; Library and serial speed are fixed here, so that it builds the same next year.
[env:board]
platform = espressif32@6.9.0
board = esp32dev
framework = arduino
monitor_speed = 115200
lib_deps = 256dpi/MQTT@2.5.2
`;

function settings(plan: StarterPlan): string {
  return `// Settings of ${comment(plan.deviceName)}. This is the only file with names and secrets in it.
#pragma once

#define WIFI_NAME ""      // <- your Wi-Fi
#define WIFI_PASSWORD ""  // <- its password

#define MQTT_HOST ${literal(plan.host)}
#define MQTT_PORT ${plan.mqttPort}
#define DEVICE_ID ${literal(plan.deviceId)}
#define DEVICE_TOKEN ${literal(plan.token ?? TOKEN_PLACEHOLDER)}

#define FIRST_INTERVAL_S ${plan.intervalS}  // until the service names another
`;
}

function program(plan: StarterPlan): string {
  const reports = reported(plan);
  const controls = controlled(plan);
  return `// Starter for ${comment(plan.deviceName)}: reports over MQTT, obeys what is wanted, prints what happens.
#include <Arduino.h>
#include <MQTT.h>
#include <WiFi.h>

#include "settings.h"

static const String ROOT = String("moor/") + DEVICE_ID + "/";

WiFiClient network;
MQTTClient mqtt(2048);
unsigned long intervalMs = FIRST_INTERVAL_S * 1000UL;
unsigned long lastReportMs = 0;
unsigned long messageNumber = 0;
unsigned long backOffMs = 1000;
bool reportNow = true;
String appliedName, appliedValue;
bool appliedWaits = false;

// ---- Your sensors: one function for each datastream that is reported. Return NAN while there is no value.
${reports.map(cppSensor).join('\n')}
// ---- Your outputs: one function for each control. Return false when the board cannot do it.
${controls.map(cppOutput).join('\n')}
void addValue(String& json, const char* key, double value, int decimals) {
  if (isnan(value)) return;
  json += String(",\\"") + key + "\\":" + String(value, decimals);
}

void report() {
  String json = String("{\\"n\\":") + String(++messageNumber);
${reports.map((stream) => `  addValue(json, ${literal(stream.key)}, read${pascal(stream.key)}(), ${cppDecimals(stream)});`).join('\n')}
  json += "}";
  bool arrived = mqtt.publish(ROOT + "report", json, false, 1);
  Serial.println(String("#") + String(messageNumber) + (arrived ? " arrived " : " did not arrive ") + json);
}

void wanted(String& topic, String& payload) {
  if (topic == ROOT + "refused") {
    Serial.println(String("REFUSED ") + payload);
    return;
  }
  String name = topic.substring((ROOT + "wanted/").length());
  double value = payload.toFloat();
  bool done = false;
  if (name == "interval") {
    done = value >= 1;
    if (done) intervalMs = (unsigned long)(value * 1000);
  }
${controls.map((stream) => `  if (name == ${literal(stream.key)}) done = apply${pascal(stream.key)}(value);`).join('\n')}
  Serial.println(String("wanted ") + name + " = " + payload + (done ? ", applied" : ", not possible"));
  // A message from within this callback would wait for itself; it goes out from loop().
  if (done) {
    appliedName = name;
    appliedValue = payload;
    appliedWaits = true;
  }
}

void connectAll() {
  if (WiFi.status() != WL_CONNECTED) {
    Serial.println(String("Wi-Fi: connecting to ") + WIFI_NAME);
    WiFi.begin(WIFI_NAME, WIFI_PASSWORD);
    for (int i = 0; i < 40 && WiFi.status() != WL_CONNECTED; i++) delay(500);
    if (WiFi.status() != WL_CONNECTED) {
      Serial.println("Wi-Fi: no connection yet. Check WIFI_NAME and WIFI_PASSWORD in settings.h.");
      return;
    }
    Serial.println(String("Wi-Fi: connected, this board is ") + WiFi.localIP().toString());
  }
  Serial.println(String("MQTT: connecting to ") + MQTT_HOST + ":" + String(MQTT_PORT));
  mqtt.begin(MQTT_HOST, MQTT_PORT, network);
  mqtt.onMessage(wanted);
  if (!mqtt.connect(DEVICE_ID, DEVICE_ID, DEVICE_TOKEN)) {
    Serial.println(String("MQTT: refused or not reached (code ") + String((int)mqtt.returnCode()) +
                   "; 4 or 5: check DEVICE_ID and DEVICE_TOKEN). Trying again.");
    delay(backOffMs);
    backOffMs = backOffMs < 60000 ? backOffMs * 2 : 60000;
    return;
  }
  backOffMs = 1000;
  mqtt.subscribe(ROOT + "refused", 1);
  mqtt.subscribe(ROOT + "wanted/#", 1);
  Serial.println("MQTT: connected");
}

void setup() {
  Serial.begin(115200);
  Serial.println(String("Starting as ") + DEVICE_ID);
}

void loop() {
  if (WiFi.status() != WL_CONNECTED || !mqtt.connected()) connectAll();
  if (!mqtt.connected()) return;
  mqtt.loop();
  if (appliedWaits) {
    appliedWaits = false;
    mqtt.publish(ROOT + "applied/" + appliedName, appliedValue, false, 1);
  }
  if (reportNow || millis() - lastReportMs >= intervalMs) {
    reportNow = false;
    lastReportMs = millis();
    report();
  }
  delay(10);
}
`;
}
