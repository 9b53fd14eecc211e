import { claimFile, MICROPYTHON_CLAIM, pythonIdentity } from './claim';
import {
  comment,
  controlled,
  literal,
  middle,
  reported,
  TOKEN_PLACEHOLDER,
  type StarterFile,
  type StarterPlan,
} from './plan';
import { microPythonCode, pythonFunction } from './pythonParts';
import type { Datastream } from '../readings/types';
import { wiringFile } from './wiring';

/** The starter for boards with MicroPython: MQTT by umqtt.simple. Only settings.py is generated anew. */
export function microPythonStarter(plan: StarterPlan): StarterFile[] {
  return [
    { path: 'settings.py', text: settings(plan), generated: true },
    { path: 'main.py', text: program(plan), generated: false },
    ...claimFile(plan, { path: 'claim.py', text: MICROPYTHON_CLAIM, generated: true }),
    ...wiringFile(plan),
  ];
}

const known = (plan: StarterPlan): string => `DEVICE_ID = ${literal(plan.deviceId)}
DEVICE_TOKEN = ${literal(plan.token ?? TOKEN_PLACEHOLDER)}
`;

function settings(plan: StarterPlan): string {
  return `# Settings of ${comment(plan.deviceName)}. This is the only file with names and secrets in it.
WIFI_NAME = ${literal(plan.wifi?.name ?? '')}      # <- your Wi-Fi
WIFI_PASSWORD = ${literal(plan.wifi?.password ?? '')}  # <- its password
MQTT_HOST = ${literal(plan.host)}
MQTT_PORT = ${plan.mqttPort}
${pythonIdentity(plan, ', WIFI_NAME, WIFI_PASSWORD') || known(plan)}FIRST_INTERVAL_S = ${plan.intervalS}  # until the service names another
`;
}

function program(plan: StarterPlan): string {
  return `# Starter for ${comment(plan.deviceName)}: reports over MQTT, obeys what is wanted, prints what happens.
# Library: umqtt.simple 1.5 (on the board's prompt: import mip; mip.install("umqtt.simple")). Serial speed 115200.
import json
import math
import time

import machine
import network
import ntptime
from umqtt.simple import MQTTClient

import settings

ROOT = "moor/%s/" % settings.DEVICE_ID
UNIX_FROM_2000 = 946684800 if time.gmtime(0)[0] == 2000 else 0
MOST_WAITING = 200
interval_s = settings.FIRST_INTERVAL_S
waiting = []  # messages that have not arrived yet, with their true times
number = 0
clock_is_set = False


# ---- Your sensors: one function for each datastream that is reported. Return None while there is no value.
${reported(plan).map(sensor).join('\n')}

# ---- Your outputs: one function for each control. Return False when the board cannot do it.
${controlled(plan).map(output).join('\n')}

SENSORS = {${reported(plan)
    .map((stream) => `"${stream.key}": read_${stream.key}`)
    .join(', ')}}
OUTPUTS = {${controlled(plan)
    .map((stream) => `"${stream.key}": apply_${stream.key}`)
    .join(', ')}}


def on_message(topic, payload):
    global interval_s
    topic, text = topic.decode(), payload.decode()
    if topic == ROOT + "refused":
        print("REFUSED", text)
        return
    name = topic[len(ROOT + "wanted/"):]
    done = False
    try:
        value = float(text)
        if name == "interval" and value >= 1:
            interval_s = value
            done = True
        if name in OUTPUTS:
            done = OUTPUTS[name](value) is not False
    except ValueError:
        pass
    print("wanted", name, "=", text, "applied" if done else "not possible")
    if done:
        client.publish(ROOT + "applied/" + name, text)


def connect_wifi():
    global clock_is_set
    station = network.WLAN(network.STA_IF)
    station.active(True)
    if not station.isconnected():
        print("Wi-Fi: connecting to", settings.WIFI_NAME)
        station.connect(settings.WIFI_NAME, settings.WIFI_PASSWORD)
        for _ in range(40):
            if station.isconnected():
                break
            time.sleep(0.5)
    if not station.isconnected():
        raise OSError("no Wi-Fi; check WIFI_NAME and WIFI_PASSWORD in settings.py")
    print("Wi-Fi: connected, this board is", station.ifconfig()[0])
    try:
        ntptime.settime()
        clock_is_set = True
    except OSError:
        print("no time from the network yet: the service says when messages came")


def connect_mqtt():
    global client
    print("MQTT: connecting to %s:%d" % (settings.MQTT_HOST, settings.MQTT_PORT))
    client = MQTTClient(settings.DEVICE_ID, settings.MQTT_HOST, settings.MQTT_PORT,
                        user=settings.DEVICE_ID, password=settings.DEVICE_TOKEN, keepalive=60)
    client.set_callback(on_message)
    client.connect()
    client.subscribe(ROOT + "refused", 1)
    client.subscribe(ROOT + "wanted/#", 1)
    print("MQTT: connected")


def report():
    global number, waiting
    number += 1
    message = {"n": number}
    if clock_is_set:
        message["at"] = (time.time() + UNIX_FROM_2000) * 1000
    for name, read in SENSORS.items():
        value = read()
        if value is not None:
            message[name] = value
    waiting.append(message)
    waiting = waiting[-MOST_WAITING:]
    while waiting:
        # With QoS 1 this returns when the service has it on its disk.
        client.publish(ROOT + "report", json.dumps(waiting[0]), qos=1)
        print("#%d arrived %s" % (waiting[0]["n"], json.dumps(waiting[0])))
        waiting.pop(0)


def main():
    back_off_s = 1
    print("Starting as", settings.DEVICE_ID)
    while True:
        try:
            connect_wifi()
            connect_mqtt()
            back_off_s = 1
            last_report = None
            last_ping = time.ticks_ms()
            while True:
                client.check_msg()
                if last_report is None or time.ticks_diff(time.ticks_ms(), last_report) >= interval_s * 1000:
                    last_report = time.ticks_ms()
                    report()
                if time.ticks_diff(time.ticks_ms(), last_ping) >= 20000:
                    last_ping = time.ticks_ms()
                    client.ping()
                time.sleep(0.1)
        except OSError as error:
            print("connection lost or refused (%s), trying again in %d s" % (error, back_off_s))
            time.sleep(back_off_s)
            back_off_s = min(60, back_off_s * 2)


client = None
main()
`;
}

function sensor(stream: Datastream): string {
  const made = stream.type === 'boolean' ? 'True' : String(middle(stream));
  return pythonFunction(
    `def read_${stream.key}():  # ${comment(stream.title)}`,
    microPythonCode(stream) ?? {
      beside: [],
      lines: [`return ${made}  # made up: replace by what your sensor says`],
    },
  );
}

function output(stream: Datastream): string {
  const code = microPythonCode(stream);
  return pythonFunction(`def apply_${stream.key}(value):  # ${comment(stream.title)}`, {
    beside: code?.beside ?? [],
    lines: [
      `print("${stream.key} ->", value)${code === null ? '  # replace by what your output needs' : ''}`,
      ...(code?.lines ?? []),
      'return True',
    ],
  });
}
